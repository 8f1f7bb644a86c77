// Sheets of the plan and rungs of the ladder: chosen by a press, moved in depth by dragging or by the arrow keys.
import {svgPoint} from '../lib/places.js';
import {choice, edit, look, lookAt, preview, settled, showChosen} from '../lib/queue.js';

/** What is being dragged: its element, its drawing (by selector, upright or across) and where it is, from 0 to 1. @type {any} */
let drag = null;
/** Ends of a drawing's depth axis in its own units. @param {DOMStringMap} data */
const endsOf = (data) => ({top: +data.top, bottom: +data.bottom, left: +data.left, right: +data.right});
function shareAt(event) {
  const svg = document.querySelector(drag.selector);
  const point = svgPoint(svg, event), data = endsOf(svg.dataset);
  const share = drag.upright ? 1 - (point.y - data.top) / (data.bottom - data.top) : (point.x - data.left) / (data.right - data.left);
  return Math.max(0, Math.min(1, share));
}
document.addEventListener('pointerdown', (event) => {
  const target = event.target.closest?.('.sheet, .rung');
  if (!target || event.button) return;
  event.preventDefault();
  if (among(event)) { target.focus({preventScroll: true}); toggle(target.dataset.layerId); return; }
  const upright = target.classList.contains('rung');
  const selector = upright ? '[data-ladder]' : '[data-plan]';
  const near = document.querySelector(selector).dataset.near;
  drag = {layer: target.dataset.layerId, selector, upright, near, moved: false, from: [event.clientX, event.clientY], id: target.id, aside: null};
  target.focus({preventScroll: true});
});
document.addEventListener('pointermove', (event) => {
  if (!drag) return;
  if (!drag.moved && Math.hypot(event.clientX - drag.from[0], event.clientY - drag.from[1]) < 3) return;
  if (!drag.moved) drag.sideways = !drag.upright && drag.layer === choice().chosen && Math.abs(event.clientY - drag.from[1]) > 1.5 * Math.abs(event.clientX - drag.from[0]);
  if (!drag.moved && !drag.sideways) showChosen(drag.layer);
  drag.moved = true;
  drag.at = shareAt(event);
  if (drag.sideways) drag.aside = asideAt(event);
  followHand();
  preview(...asked(drag));
});
// The chosen sheet is also moved across, when the hand sets out that way.
function asideAt(event) {
  const svg = document.querySelector(drag.selector), {across, axis} = /** @type {any} */ (svg).dataset;
  const [from, to] = [drag.from[1], event.clientY].map((y) => svgPoint(svg, {clientX: 0, clientY: y}).y);
  drag.start ??= +document.getElementById(drag.id).dataset.framed;
  return {[axis]: Math.round((drag.start + (to - from) * across) * 10) / 10, by: to - from};
}
/** @returns {[string, Record<string, unknown>]} */
function asked(moved) {
  const {by, ...framing} = moved.aside ?? {};
  if (moved.aside) return ['framing', {layer: moved.layer, ...framing}];
  return ['depth', {layer: moved.layer, chosen: moved.layer, at: moved.at, near: moved.near}];
}
// The dragged thing follows the hand at once; what the server drew is put under it when it comes.
function followHand() {
  const thing = document.getElementById(drag.id);
  if (!thing) return;
  const data = endsOf(document.querySelector(drag.selector).dataset);
  if (drag.upright) {
    thing.setAttribute('cy', data.top + (1 - drag.at) * (data.bottom - data.top));
  } else if (drag.aside) {
    thing.setAttribute('transform', `translate(0 ${drag.aside.by - (+thing.dataset.framed - drag.start) / +/** @type {any} */ (document.querySelector(drag.selector)).dataset.across})`);
    thing.classList.add('dragged');
  } else {
    const x = data.left + drag.at * (data.right - data.left);
    thing.setAttribute('transform', `translate(${x - thing.dataset.x} 0)`);
    thing.classList.add('dragged');
  }
}
document.addEventListener('htmx:afterRequest', () => { if (drag?.moved) followHand(); });
// Where the hand left it, the thing stands as the server drew it.
function release(id) {
  const thing = document.getElementById(id);
  thing?.removeAttribute('transform');
  thing?.classList.remove('dragged');
  if (thing?.dataset.y) thing.setAttribute('cy', thing.dataset.y);
}
async function drop() {
  const done = drag;
  drag = null;
  if (!done.moved) return choose(done.layer);
  await settled();
  await edit(...asked(done));
  release(done.id);
  document.getElementById(done.id)?.focus({preventScroll: true});
}
document.addEventListener('pointerup', () => { if (drag) drop(); });
document.addEventListener('pointercancel', () => { if (drag) { const {id} = drag; drag = null; settled().then(() => look({})).then(() => release(id)); } });

/** Whether a press adds to what is chosen. */
export const among = (event) => event.shiftKey || event.ctrlKey || event.metaKey;
/** Choose a layer along with others, or no longer. */
export function toggle(layer) {
  const {many, chosen} = choice(), ids = new Set(many.split(' ').filter(Boolean));
  if (!ids.size && chosen) ids.add(chosen);
  if (ids.has(layer)) ids.delete(layer); else ids.add(layer);
  const left = [...ids];
  return lookAt(ids.has(layer) ? layer : left.at(-1) ?? layer, left.length > 1 ? left.join(' ') : '');
}
export function choose(layer) {
  const {many} = choice();
  if (choice().chosen === layer && !many) return undefined;
  const address = new URL(location.href);
  address.searchParams.set('layer', layer);
  history.replaceState(history.state, '', address);
  return lookAt(layer);
}
// How far an arrow key goes comes with the drawing; each press goes on from where the one before it led.
export function nudge(thing, event) {
  const {id, dataset: {layerId}} = thing, farther = ['ArrowRight', 'ArrowUp'].includes(event.key);
  const step = thing.closest('[data-nudge]').dataset.nudge * (event.shiftKey ? 10 : 1) * (farther ? -1 : 1);
  const rate = () => Math.max(0, Math.round((+(document.getElementById(id) ?? thing).getAttribute('aria-valuenow') + step) * 1000) / 1000);
  edit('depth', () => ({layer: layerId, chosen: layerId, rate: rate(), nudge: 1})).then(() => document.getElementById(id)?.focus());
}
