// The ground in the view at rest: the horizon, where the ground meets the picture plane, and the chosen layer's foot, all dragged.
import {choice} from '../lib/queue.js';
import {draggable} from './marks.js';
import {make} from './tones.js';
import {frame, stage} from './view.js';

const marks = document.getElementById('ground-marks');
const shown = () => stage.ground && (stage.ground.foot || localStorage.getItem('show-ground'));
function drawMarks() {
  const box = /** @type {HTMLInputElement | null} */ (document.getElementById('show-ground'));
  if (box) box.checked = !!shown();
  if (isHeld()) return;
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
const isHeld = draggable(marks, {
  selector: '[data-ground]', asks: (mark, x, y) => asks(mark.dataset.ground, x, y), at: (mark) => [+(mark.dataset.x ?? 0), +mark.dataset.y],
  follows: (mark, x, y) => `translate(${mark.dataset.ground === 'foot' ? x : frame().left} ${y})`, steps: [2, 20], draw: drawMarks,
});
document.addEventListener('change', (event) => {
  if (event.target.id !== 'show-ground') return;
  localStorage.setItem('show-ground', event.target.checked ? '1' : '');
  drawMarks();
});
document.addEventListener('htmx:afterSettle', drawMarks);
drawMarks();
