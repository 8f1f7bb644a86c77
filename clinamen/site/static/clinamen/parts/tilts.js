// Ends of the chosen sheet in plan and section: dragged, the sheet turns or leans about its middle.
import {planPlace, svgPoint} from '../lib/places.js';
import {edit, preview, settled} from '../lib/queue.js';

/** @type {{end: any, asked: Record<string, unknown> | null} | null} */
let held = null;
function place(event) {
  const svg = /** @type {any} */ (document.querySelector('[data-plan]'));
  return planPlace(svg, svgPoint(svg, event));
}
document.addEventListener('pointerdown', (event) => {
  const end = event.target.closest?.('.tilt-end');
  if (!end || event.button) return;
  event.preventDefault();
  event.stopPropagation();
  end.focus({preventScroll: true});
  held = {end, asked: null};
}, true);
document.addEventListener('pointermove', (event) => {
  if (!held) return;
  const {layer, hand, end} = held.end.dataset;
  held.asked = {layer, hand, end, ...place(event)};
  preview('tilt', held.asked);
});
document.addEventListener('pointerup', async () => {
  const done = held;
  held = null;
  if (!done?.asked) return;
  await settled();
  await edit('tilt', done.asked);
  document.getElementById(done.end.id)?.focus({preventScroll: true});
});
document.addEventListener('pointercancel', () => { held = null; settled(); });
// By keyboard a nudge is the same as one of the field that says the same.
document.addEventListener('keydown', (event) => {
  const end = event.target.closest?.('.tilt-end');
  if (!end || !event.key.startsWith('Arrow')) return;
  event.preventDefault();
  event.stopPropagation();
  const field = document.getElementById(end.dataset.hand === 'turn' ? 'f-turn' : 'f-lean');
  const rises = ['ArrowRight', 'ArrowUp'].includes(event.key);
  field?.dispatchEvent(new KeyboardEvent('keydown', {key: rises ? 'ArrowUp' : 'ArrowDown', shiftKey: event.shiftKey, bubbles: true}));
}, true);
