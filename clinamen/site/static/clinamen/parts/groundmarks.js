// The ground in the view at rest: the horizon, where the ground meets the picture plane, and the chosen layer's foot, all dragged.
import {choice, edit, preview, settled} from '../lib/queue.js';
import {make} from './tones.js';
import {frame, stage} from './view.js';

const marks = document.getElementById('ground-marks');
/** @type {{mark: any, request: [string, Record<string, unknown>] | null} | null} */
let held = null;
const shown = () => stage.ground && (stage.ground.foot || localStorage.getItem('show-ground'));
function drawMarks() {
  const box = /** @type {HTMLInputElement | null} */ (document.getElementById('show-ground'));
  if (box) box.checked = !!shown();
  if (held) return;
  const focused = document.activeElement?.id;
  marks.replaceChildren();
  if (!shown()) return;
  const {left, top, scale} = frame(), {horizon, meets, foot, says} = stage.ground;
  const wide = stage.view[0] * scale;
  for (const [id, y, words] of [['horizon', horizon, 'horizon'], ['meets', meets, 'ground at the picture plane']]) {
    const mark = make(marks, 'g', {class: `ground-line ${id}`, id: `ground-${id}`, 'data-ground': id, 'data-y': y, tabindex: 0, role: 'slider', 'aria-orientation': 'vertical', 'aria-label': `${words}: drag it, or use the arrow keys`, 'aria-valuenow': y, 'aria-valuetext': `${y} px down the view`, transform: `translate(${left} ${top + y * scale})`});
    make(mark, 'line', {class: 'hold', x2: wide});
    for (const kind of ['under', 'over']) make(mark, 'line', {class: kind, x2: wide});
    make(mark, 'text', {x: wide - 6, y: -4}).textContent = words;
  }
  if (foot) {
    const mark = make(marks, 'g', {class: 'ground-foot', id: 'ground-foot', 'data-ground': 'foot', 'data-x': foot[0], 'data-y': foot[1], tabindex: 0, role: 'button', 'aria-label': `${says}: drag it, or use the arrow keys`, transform: `translate(${left + foot[0] * scale} ${top + foot[1] * scale})`});
    make(mark, 'path', {d: 'M0 0L-7 -13H7Z'});
    make(mark, 'line', {x1: -12, x2: 12});
    make(mark, 'title', {}).textContent = says;
  }
  if (focused?.startsWith('ground-')) document.getElementById(focused)?.focus({preventScroll: true});
}
/** @returns {[string, Record<string, unknown>]} */
function asks(kind, x, y) {
  if (kind === 'foot') return ['foot', {layer: choice().chosen, x, y}];
  return ['ground', kind === 'horizon' ? {horizon_at: y} : {meets_at: y}];
}
marks.addEventListener('pointerdown', (event) => {
  const mark = event.target.closest('[data-ground]');
  if (!mark || event.button) return;
  event.preventDefault();
  mark.focus({preventScroll: true});
  marks.setPointerCapture(event.pointerId);
  held = {mark, request: null};
});
marks.addEventListener('pointermove', (event) => {
  if (!held) return;
  const {left, top, scale, host} = frame(), kind = held.mark.dataset.ground;
  const x = event.clientX - host.left, y = event.clientY - host.top;
  held.mark.setAttribute('transform', `translate(${kind === 'foot' ? x : left} ${y})`);
  held.request = asks(kind, (x - left) / scale, (y - top) / scale);
  preview(...held.request);
});
marks.addEventListener('pointerup', async () => {
  const done = held?.request;
  if (done) { await settled(); await edit(...done); }
  held = null;
  drawMarks();
});
marks.addEventListener('keydown', (event) => {
  const mark = event.target.closest('[data-ground]'), by = event.shiftKey ? 20 : 2;
  const way = {ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by]}[event.key];
  if (!mark || !way) return;
  event.preventDefault();
  edit(...asks(mark.dataset.ground, +(mark.dataset.x ?? 0) + way[0], +mark.dataset.y + way[1]));
});
document.addEventListener('change', (event) => {
  if (event.target.id !== 'show-ground') return;
  localStorage.setItem('show-ground', event.target.checked ? '1' : '');
  drawMarks();
});
addEventListener('resize', drawMarks);
document.addEventListener('staged', drawMarks);
document.addEventListener('htmx:afterSettle', drawMarks);
drawMarks();
