// Sheets of the plan and rungs of the ladder: chosen by a press, moved in depth by dragging or by the arrow keys.
import {choice, edit, look, preview, settled} from '../lib/queue.js';

/** What is being dragged: its element, its drawing (by selector, upright or across) and where it is, from 0 to 1. @type {any} */
let drag = null;
/** Ends of a drawing's depth axis in its own units. @param {DOMStringMap} data */
const endsOf = (data) => ({top: +data.top, bottom: +data.bottom, left: +data.left, right: +data.right});
const svgPoint = (svg, event) => new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
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
  const upright = target.classList.contains('rung');
  const selector = upright ? '[data-ladder]' : '[data-plan]';
  const near = document.querySelector(selector).dataset.near;
  drag = {layer: target.dataset.layerId, selector, upright, near, moved: false, from: [event.clientX, event.clientY], id: target.id};
  target.focus({preventScroll: true});
});
document.addEventListener('pointermove', (event) => {
  if (!drag) return;
  if (!drag.moved && Math.hypot(event.clientX - drag.from[0], event.clientY - drag.from[1]) < 3) return;
  drag.moved = true;
  drag.at = shareAt(event);
  followHand();
  preview('depth', {layer: drag.layer, chosen: drag.layer, at: drag.at, near: drag.near});
});
// The dragged thing follows the hand at once; what the server drew is put under it when it comes.
function followHand() {
  const thing = document.getElementById(drag.id);
  if (!thing) return;
  const data = endsOf(document.querySelector(drag.selector).dataset);
  if (drag.upright) {
    thing.setAttribute('cy', data.top + (1 - drag.at) * (data.bottom - data.top));
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
  await edit('depth', {layer: done.layer, chosen: done.layer, at: done.at, near: done.near});
  release(done.id);
  document.getElementById(done.id)?.focus({preventScroll: true});
}
document.addEventListener('pointerup', () => { if (drag) drop(); });
document.addEventListener('pointercancel', () => { if (drag) { const {id} = drag; drag = null; settled().then(() => look({})).then(() => release(id)); } });

export function choose(layer) {
  if (choice().chosen === layer) return;
  const address = new URL(location.href);
  address.searchParams.set('layer', layer);
  history.replaceState(history.state, '', address);
  look({chosen: layer});
}
// How far an arrow key goes comes with the drawing.
export function nudge(thing, event) {
  const farther = ['ArrowRight', 'ArrowUp'].includes(event.key);
  const step = thing.closest('[data-nudge]').dataset.nudge * (event.shiftKey ? 10 : 1) * (farther ? -1 : 1);
  const rate = Math.max(0, Math.round((+thing.getAttribute('aria-valuenow') + step) * 1000) / 1000);
  edit('depth', {layer: thing.dataset.layerId, chosen: thing.dataset.layerId, rate, nudge: 1}).then(() => document.getElementById(thing.id)?.focus());
}
