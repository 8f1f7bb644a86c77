// Tone curves: points on a square, 0 to 1 across and up, dragged or moved by the arrow keys.
import {svgPoint} from '../lib/places.js';
import {choice, edit, preview, settled} from '../lib/queue.js';

const SVG = 'http://www.w3.org/2000/svg', CLOSE = 6, LEAST = 1 / 255;
export function make(parent, name, attributes) {
  const element = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  parent.append(element);
  return element;
}
const tonesOf = (svg) => svg.dataset.tones.split(' ').map((pair) => { const [x, y] = pair.split(',').map(Number); return {x, y}; });
export function drawCurves() {
  for (const svg of document.querySelectorAll('.tone-curve')) if (curve?.id !== svg.id && svg.dataset.drawn !== svg.dataset.tones) drawCurve(svg, tonesOf(svg));
  // An answer takes the points away, and the keys with them.
  if (!held || document.activeElement !== document.body) return;
  const point = document.getElementById(held) ?? document.querySelector(`#${CSS.escape(held.slice(0, held.lastIndexOf('-')))} .tone-point:last-child`);
  /** @type {SVGElement | null} */ (point)?.focus({preventScroll: true});
}
/** The point that has the keys. */
let held = '';
document.addEventListener('focusin', (event) => { held = event.target.matches('.tone-point') ? event.target.id : ''; });
function drawCurve(svg, points) {
  svg.replaceChildren();
  svg.dataset.drawn = points.map(({x, y}) => `${x},${y}`).join(' ');
  make(svg, 'rect', {class: 'tone-box', x: 0, y: 0, width: 100, height: 100});
  make(svg, 'path', {class: 'tone-even', d: 'M0 100L100 0'});
  make(svg, 'polyline', {class: 'tone-line', points: points.map(({x, y}) => `${100 * x},${100 - 100 * y}`).join(' ')});
  points.forEach(({x, y}, number) => make(svg, 'circle', {
    class: 'tone-point', cx: 100 * x, cy: 100 - 100 * y, r: 4, tabindex: 0, role: 'slider', id: `${svg.id}-${number}`, 'data-point': number,
    'aria-label': `Point ${number + 1}`, 'aria-valuenow': y.toFixed(3), 'aria-valuetext': `${x.toFixed(2)} becomes ${y.toFixed(2)}`,
  }));
}
/** The curve under the hand. @type {{id: string, points: {x: number, y: number}[], number: number} | null} */
let curve = null;
/** @returns {[string, Record<string, unknown>]} */
const curveEdit = (svg, points) => ['look-set', {layer: choice().chosen, group: svg.dataset.group, index: svg.dataset.index, data: JSON.stringify({points})}];
function toneAt(svg, event) {
  const point = svgPoint(svg, event);
  const held = (value) => Math.round(1000 * Math.max(0, Math.min(1, value))) / 1000;
  return {x: held(point.x / 100), y: held(1 - point.y / 100)};
}
// A point stays between its neighbours.
const between = (points, number, x) => Math.max(number ? points[number - 1].x + 2 * LEAST : 0, Math.min(number < points.length - 1 ? points[number + 1].x - 2 * LEAST : 1, x));
document.addEventListener('pointerdown', (event) => {
  const svg = event.target.closest?.('.tone-curve');
  if (!svg || event.button) return;
  event.preventDefault();
  const points = tonesOf(svg), tone = toneAt(svg, event);
  let number = event.target.dataset.point === undefined ? -1 : +event.target.dataset.point;
  if (number < 0) {
    number = points.findIndex(({x}) => x > tone.x);
    number = number < 0 ? points.length : number;
    if (points.some(({x}) => Math.abs(x - tone.x) < CLOSE / 100)) return;
    points.splice(number, 0, tone);
  }
  curve = {id: svg.id, points, number};
  drawCurve(svg, points);
  document.getElementById(`${svg.id}-${number}`)?.focus({preventScroll: true});
});
document.addEventListener('pointermove', (event) => {
  if (!curve) return;
  const svg = document.getElementById(curve.id), tone = toneAt(svg, event);
  curve.points[curve.number] = {x: between(curve.points, curve.number, tone.x), y: tone.y};
  drawCurve(svg, curve.points);
  preview(...curveEdit(svg, curve.points));
});
async function keepCurve() {
  if (!curve) return;
  const {id, points, number} = curve;
  await settled();
  await edit(...curveEdit(document.getElementById(id), points));
  curve = null;
  drawCurves();
  document.getElementById(`${id}-${Math.min(number, points.length - 1)}`)?.focus({preventScroll: true});
}
document.addEventListener('pointerup', keepCurve);
document.addEventListener('keydown', (event) => {
  const svg = event.target.closest?.('.tone-curve');
  if (!svg || event.target.dataset.point === undefined) return;
  const number = +event.target.dataset.point, by = event.shiftKey ? 0.1 : 0.01;
  const way = {ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, by], ArrowDown: [0, -by]}[event.key];
  if (!way && event.key !== 'Delete') return;
  event.preventDefault();
  const values = () => {
    const now = document.getElementById(svg.id) ?? svg, points = tonesOf(now), point = points[number];
    if (point && way) points[number] = {x: between(points, number, point.x + way[0]), y: Math.max(0, Math.min(1, point.y + way[1]))};
    else if (point && points.length > 2) points.splice(number, 1);
    return curveEdit(now, points);
  };
  edit(values()[0], () => values()[1]);
});
drawCurves();
