// What is dragged in the view in the room Look: the key light, the ends of fades.
import {choice, scene} from '../lib/queue.js';
import {draggable} from './marks.js';
import {make} from './tones.js';
import {at as driven, frame, stage} from './view.js';

const marks = document.getElementById('look-marks'), view = document.getElementById('view');
function drawMarks() {
  if (isHeld()) return;
  const {left, top, scale} = frame(), focused = document.activeElement?.id;
  marks.replaceChildren();
  if (/** @type {HTMLInputElement | null} */ (document.getElementById('safe-areas'))?.checked) {
    for (const [number, [x, y, wide, high]] of (stage.safe ?? []).entries()) {
      for (const kind of ['under', 'over']) make(marks, 'rect', {class: `safe-area ${kind}`, x: left + x * scale, y: top + y * scale, width: wide * scale, height: high * scale});
      make(marks, 'text', {class: 'safe-says', x: left + x * scale + 4, y: top + (number ? y + high : y) * scale + (number ? -5 : 12)}).textContent = number ? 'title safe' : 'action safe';
    }
  }
  const at = ([x, y]) => [left + x * scale, top + y * scale];
  const ends = new Map();
  for (const {kind, index, end, at: place} of stage.handles ?? []) if (kind === 'fade') ends.set(index, [...ends.get(index) ?? [], [end, at(place)]]);
  for (const [, [[, one], [, two]]] of ends) {
    for (const kind of ['under', 'over']) make(marks, 'line', {class: `fade-line ${kind}`, x1: one[0], y1: one[1], x2: two[0], y2: two[1]});
  }
  for (const [number, {kind, index, end, at: place, colour, says}] of (stage.handles ?? []).entries()) {
    const [x, y] = at(place), light = kind === 'light';
    const mark = make(marks, 'g', {class: `look-mark ${kind}`, id: `mark-${number}`, tabindex: 0, role: 'button', 'aria-label': `${says}: drag it, or use the arrow keys`, 'data-mark': number, transform: `translate(${x} ${y})`});
    make(mark, 'circle', {r: light ? 9 : 6, fill: light ? colour : end === 'whole' ? '#fff' : '#17456B', stroke: light ? '#10202C' : '#fff', 'stroke-width': 2});
    if (light) make(mark, 'path', {class: 'rays', d: 'M0 -17v5M0 12v5M-17 0h5M12 0h5M-12 -12l3 3M9 9l3 3M-12 12l3 -3M9 -9l3 -3'});
    make(mark, 'title', {}).textContent = says;
    mark.dataset.does = JSON.stringify(light ? ['light', {}] : ['fade-at', {index, end}]);
  }
  if (focused?.startsWith('mark-')) document.getElementById(focused)?.focus({preventScroll: true});
}
/** @returns {[string, Record<string, unknown>]} */
const asks = (mark, x, y) => {
  const [name, values] = JSON.parse(mark.dataset.does);
  return [name, {layer: choice().chosen, ...values, ...name === 'light' ? {to_x: x, to_y: y} : {x, y}}];
};
const isHeld = draggable(marks, {selector: '[data-mark]', asks, at: (mark) => stage.handles[mark.dataset.mark].at, steps: [5, 50], draw: drawMarks});
drawMarks();
// Safe areas are shown to whoever wants them, in every scene of theirs.
document.addEventListener('change', (event) => {
  if (event.target.id !== 'safe-areas') return;
  localStorage.setItem('safe-areas', event.target.checked ? '1' : '');
  drawMarks();
});
function keepSafe() {
  const box = /** @type {HTMLInputElement | null} */ (document.getElementById('safe-areas'));
  if (box) box.checked = !!localStorage.getItem('safe-areas');
}
document.addEventListener('htmx:afterSettle', keepSafe);
keepSafe();
drawMarks();
// The picker: the colour of a place of the view as it is drawn now, asked of the server.
view.addEventListener('click', async (event) => {
  if (!/** @type {HTMLInputElement | null} */ (document.getElementById('picking'))?.checked) return;
  const {left, top, scale, host} = frame();
  const asked = {x: (event.clientX - host.left - left) / scale, y: (event.clientY - host.top - top) / scale, ...driven};
  const answer = await fetch(`/scenes/${scene}/colour/?${new URLSearchParams(Object.entries(asked).map(([key, value]) => [key, String(value)]))}`);
  const told = await answer.json(), box = document.getElementById('picked');
  box.textContent = told.says;
  box.style.borderLeft = `14px solid ${told.colour}`;
});
