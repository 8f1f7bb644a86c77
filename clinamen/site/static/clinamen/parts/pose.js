// Posing in the view: the hand moves the camera or the chosen layer; what comes of it is loose until it is kept. The server says
// what a gesture means; here only points of the view are told.
import {choice, edit, look} from '../lib/queue.js';
import {stop} from './drivers.js';
import {at, frame, stage} from './view.js';

const view = document.getElementById('view'), marks = document.getElementById('pose-marks'), surround = view.parentElement;
view.tabIndex = 0;
view.setAttribute('role', 'application');
view.setAttribute('aria-label', 'View: drag or use the arrow keys to pose what the hand moves');
const WHEEL_REST = 350, KEY_STEP = 10;  // ms until the next turn of the wheel is one of its own; view px of an arrow key
const byLayer = () => choice().hand === 'layer';
/** A place of the window in view pixels. */
function viewPoint(x, y) {
  const {left, top, scale, host} = frame();
  return {x: (x - host.left - left) / scale, y: (y - host.top - top) / scale};
}

// Only the newest place of the hand is asked for.
let next = null, busy = null;
function ask(values) {
  next = values;
  busy ??= (async () => { try { while (next) { const now = next; next = null; await look({...now, ...at}); } } finally { busy = null; } })();
  return busy;
}
const gesture = (kind, from, to, loose, more = {}) => ask({gesture: kind, loose, from_x: from.x, from_y: from.y, to_x: to.x, to_y: to.y, ...more});
const cameraKind = (event) => (event.shiftKey ? 'look' : event.ctrlKey || event.metaKey ? 'arc' : event.altKey ? 'roll' : 'truck');
const layerKind = (event) => (event.shiftKey ? 'size' : event.altKey ? 'turn' : 'move');

/** The drag under way: its kind, where it began in view pixels, the loose pose it began with. @type {any} */
let drag = null;
function begin(event, kind) {
  if (event.button) return;
  stop();
  drag = {kind, from: viewPoint(event.clientX, event.clientY), loose: choice().loose, moved: false};
  (kind === 'pin' ? marks : view).setPointerCapture(event.pointerId);
  view.focus({preventScroll: true});
  event.preventDefault();
}
view.addEventListener('pointerdown', (event) => begin(event, byLayer() ? layerKind(event) : cameraKind(event)));
marks.addEventListener('pointerdown', (event) => begin(event, event.target.dataset.kind));
function moved(event) {
  if (!drag) return;
  const to = viewPoint(event.clientX, event.clientY);
  if (!drag.moved && Math.hypot(to.x - drag.from.x, to.y - drag.from.y) < 3) return;
  drag.moved = true;
  drag.to = to;
  if (drag.kind !== 'pin') gesture(drag.kind, drag.from, to, drag.loose);
}
async function lifted() {
  const done = drag;
  drag = null;
  if (done?.kind === 'pin' && done.moved) await edit('anchor-at', {layer: choice().chosen, to_x: done.to.x, to_y: done.to.y, ...at});
  draw();
}
for (const element of [view, marks]) {
  element.addEventListener('pointermove', moved);
  element.addEventListener('pointerup', lifted);
  element.addEventListener('pointercancel', lifted);
}
// One turn of the wheel, however many notches it has, is one gesture.
let wheel = null;
view.addEventListener('wheel', (event) => {
  event.preventDefault();
  stop();
  wheel ??= {notches: 0, loose: choice().loose, point: viewPoint(event.clientX, event.clientY)};
  wheel.notches -= Math.sign(event.deltaY);
  clearTimeout(wheel.rest);
  wheel.rest = setTimeout(() => { wheel = null; }, WHEEL_REST);
  if (byLayer()) gesture('size', {x: 0, y: 0}, {x: 0, y: 0}, wheel.loose, {factor: wheel.notches});
  else gesture('dolly', wheel.point, wheel.point, wheel.loose, {notches: wheel.notches});
}, {passive: false});

const middle = () => ({x: stage.view[0] / 2, y: stage.view[1] / 2});
view.addEventListener('keydown', (event) => {
  const way = {ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1]}[event.key], from = middle(), loose = choice().loose;
  if (event.key === 'Enter' && loose) keep();
  else if (event.key === 'Escape' && loose) letGo();
  else if (['PageUp', 'PageDown'].includes(event.key) && !byLayer()) gesture('dolly', from, from, loose, {notches: event.key === 'PageUp' ? 1 : -1});
  else if (['+', '-'].includes(event.key) && byLayer()) gesture('size', from, from, loose, {factor: event.key === '+' ? 1 : -1});
  else if (['<', '>', ',', '.'].includes(event.key)) {
    const by = '<,'.includes(event.key) ? -1 : 1;
    gesture(byLayer() ? 'turn' : 'roll', from, from, loose, {degrees: by});
  } else if (way) gesture(byLayer() ? 'move' : cameraKind(event), from, {x: from.x + way[0] * KEY_STEP, y: from.y + way[1] * KEY_STEP}, loose);
  else return;
  event.preventDefault();
  event.stopPropagation();
});

/** The driver whose keys are made and changed: the drawing's, or where that has none the one it is drawn over. */
export function driver() {
  const drawn = document.getElementById('threads') ?? document.getElementById('thread-curve') ?? document.getElementById('path-plan');
  const over = drawn?.dataset.driver ?? choice().fan_driver;
  return ['scroll', 'time'].includes(over) ? over : stage.drivers.scroll ? 'scroll' : 'time';
}
// What the hand did last is answered first: else it would come back after what it was is kept or let go.
const keep = async (place = at[driver()]) => { await busy; return edit('keep-pose', {driver: driver(), at: place}); };
const POSES = {keep: () => keep(), start: () => keep(0), end: () => keep(driver() === 'time' ? stage.duration : 1), 'let-go': () => letGo()};
const letGo = async () => { next = null; await busy; return look({loose: ''}); };
document.addEventListener('click', (event) => {
  const does = event.target.closest?.('[data-pose]')?.dataset.pose;
  if (does) POSES[does]();
});
document.addEventListener('change', (event) => {
  if (event.target.id === 'pose-hand') look({hand: event.target.value}).then(draw);
  if (event.target.id === 'pose-lock') look({lock: event.target.value});
});

// The outline of what the chosen layer's art shows, with its grips: corners make it larger, the one above turns it, the pin is its anchor.
const place = (share) => {
  const probe = document.createElement('i');
  probe.style.cssText = `position:absolute;left:${share[0]};top:${share[1]};width:0;height:0;display:block`;
  return probe;
};
function draw() {
  surround.classList.toggle('posed', !!choice().loose);
  marks.replaceChildren();
  const layer = byLayer() && view.querySelector(`[data-layer="${CSS.escape(choice().chosen)}"]`);
  if (!layer) return;
  const told = (id, usual) => JSON.parse(document.getElementById(id)?.textContent ?? usual);
  const [first, high, last, bottom] = told('pose-box', '[0,0,1,1]');
  const corners = [[first, high], [last, high], [last, bottom], [first, bottom], [(first + last) / 2, high], told('pose-pin', '[0.5,0.5]')];
  const probes = corners.map((shares) => place(shares.map((share) => `${100 * share}%`)));
  layer.append(...probes);
  const host = marks.getBoundingClientRect();
  const points = probes.map((probe) => { const box = probe.getBoundingClientRect(); return [box.x - host.x, box.y - host.y]; });
  for (const probe of probes) probe.remove();
  const shape = (name, attributes, data = {}) => {
    const made = document.createElementNS('http://www.w3.org/2000/svg', name);
    for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value);
    Object.assign(made.dataset, data);
    marks.append(made);
  };
  for (const under of [' under', '']) shape('polygon', {class: `pose-outline${under}`, points: points.slice(0, 4).map((point) => point.join(',')).join(' ')});
  // a grip that lies outside the view waits at its edge
  const seen = ([x, y], rim = 8) => [Math.min(host.width - rim, Math.max(rim, x)), Math.min(host.height - rim, Math.max(rim, y))];
  for (const [px, py] of points.slice(0, 4)) {
    const [x, y] = seen([px, py]);
    shape('rect', {class: 'pose-grip', x: x - 4.5, y: y - 4.5, width: 9, height: 9}, {kind: 'size'});
  }
  const [left, top] = points[4], [ax, ay] = points[5], away = Math.hypot(left - ax, top - ay) || 1;
  const [tx, ty] = seen([left + (left - ax) / away * 18, top + (top - ay) / away * 18]);
  shape('circle', {class: 'pose-grip turn', cx: tx, cy: ty, r: 5.5}, {kind: 'turn'});
  shape('path', {class: 'pose-pin', d: `M${ax} ${ay}l-5 -12a5.4 5.4 0 1 1 10 0z`}, {kind: 'pin'});
}
document.addEventListener('driven', draw);
let soon = 0;
document.addEventListener('htmx:afterSettle', () => {
  if (soon) return;
  soon = requestAnimationFrame(() => { soon = 0; draw(); });
});
addEventListener('resize', draw);
draw();
