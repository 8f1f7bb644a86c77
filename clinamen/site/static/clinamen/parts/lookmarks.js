// What is dragged in the view in the room Look: the key light, the ends of fades.
import {choice, edit, preview, scene, settled} from '../lib/queue.js';
import {make} from './tones.js';
import {at as driven, frame, stage} from './view.js';

const marks = document.getElementById('look-marks'), view = document.getElementById('view');
/** The mark under the hand: what it edits. @type {{mark: any, request: [string, Record<string, unknown>] | null} | null} */
let held = null;
function drawMarks() {
  if (held) return;
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
marks.addEventListener('pointerdown', (event) => {
  const mark = event.target.closest('[data-mark]');
  if (!mark || event.button) return;
  event.preventDefault();
  mark.focus({preventScroll: true});
  marks.setPointerCapture(event.pointerId);
  held = {mark, request: null};
});
marks.addEventListener('pointermove', (event) => {
  if (!held) return;
  const {left, top, scale, host} = frame(), x = event.clientX - host.left, y = event.clientY - host.top;
  held.mark.setAttribute('transform', `translate(${x} ${y})`);
  held.request = asks(held.mark, (x - left) / scale, (y - top) / scale);
  preview(...held.request);
});
marks.addEventListener('pointerup', async () => {
  const done = held?.request;
  if (done) { await settled(); await edit(...done); }
  held = null;
  drawMarks();
});
marks.addEventListener('keydown', (event) => {
  const mark = event.target.closest('[data-mark]'), by = event.shiftKey ? 50 : 5;
  const way = {ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by]}[event.key];
  if (!mark || !way) return;
  event.preventDefault();
  const [x, y] = stage.handles[mark.dataset.mark].at;
  edit(...asks(mark, x + way[0], y + way[1]));
});
addEventListener('resize', drawMarks);
document.addEventListener('staged', drawMarks);
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
