// Comments: how many are open is counted in the bar; what a new one is pinned to is what is chosen and where the drivers stand;
// what was said of a finding stands beside it too.
import {choice, lookAt, root, scene} from '../lib/queue.js';
import {at} from './view.js';

const counted = () => {
  const open = Number(document.getElementById('comments').dataset.open ?? 0);
  document.getElementById('comments-count').textContent = open ? ` (${open})` : '';
};
const beside = () => {
  const said = document.querySelectorAll('#comments .comment[data-on]:not(.settled)');
  for (const old of document.querySelectorAll('.said-here')) old.remove();
  for (const finding of document.querySelectorAll('[data-finding]')) {
    for (const comment of said) {
      if (comment.dataset.on !== finding.dataset.finding) continue;
      const line = document.createElement('p');
      line.className = 'said-here';
      line.append(comment.querySelector('strong').cloneNode(true), ` ${comment.querySelector('.comment-text').textContent}`);
      ([...finding.querySelectorAll('.said-here')].at(-1) ?? finding.querySelector('p')).after(line);
    }
  }
};
document.addEventListener('htmx:afterSettle', () => {
  counted();
  beside();
});
// What is being written elsewhere stays while something is answered, settled or deleted; what was refused stays too.
const written = () => /** @type {HTMLInputElement[]} */ ([...document.querySelectorAll('#comments [name=text]')]);
let typing = [];
document.addEventListener('htmx:beforeSwap', (event) => {
  const {target, requestConfig} = event.detail;
  if (target?.id === 'comments') typing = written().map((field) => [field.id, field.value, requestConfig?.verb === 'post' && requestConfig.elt.contains(field)]);
});
document.addEventListener('htmx:afterSwap', () => {
  const refused = document.querySelector('#comments .wrong-line');
  for (const field of written()) {
    const [, value = '', sent] = typing.find(([id]) => id === field.id) ?? [];
    if (value && (refused || !sent)) field.value = value;
  }
  if (typing.length) refused?.scrollIntoView({block: 'nearest'});
  typing = [];
});
document.addEventListener('htmx:configRequest', (event) => {
  if (!event.detail.elt.matches?.('[data-comment-form]')) return;
  const finding = touched || (document.querySelector('[data-finding]')?.getAttribute('data-finding') ?? '');
  Object.assign(event.detail.parameters, at, {layer: choice().chosen, finding});
});
document.addEventListener('comments-changed', () => {
  if (!document.activeElement?.closest?.('#comments')) htmx.ajax('GET', `/scenes/${scene}/comments/`, {target: '#comments', swap: 'outerHTML', source: '#comments'});
});
let touched = '';  // the finding that was pressed last
document.addEventListener('click', (event) => {
  touched = event.target.closest?.('[data-finding]')?.getAttribute('data-finding') ?? touched;
  const layer = event.target.closest?.('[data-choose-layer]')?.dataset.chooseLayer;
  if (layer) lookAt(layer);
});
// Who may only look sees every field and can set none.
if ('looks' in root.dataset) {
  const still = () => {
    for (const field of document.querySelectorAll('.readout-side :is(input, select, textarea, button), .title-form input, [hx-post*="/edit/"], #undo, #redo')) {
      if (!field.closest('.driver-bar, #comments')) field.setAttribute('disabled', '');
    }
  };
  still();
  document.addEventListener('htmx:afterSettle', still);
}
