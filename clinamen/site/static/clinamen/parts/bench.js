// The light bench: hands on tip, sides and air. Where a hand is goes to the server as it is; what it comes to is worked out there.
import {planPlace, svgPoint} from '../lib/places.js';
import {edit, preview, settled} from '../lib/queue.js';
import {choose} from './sheets.js';

/** What each hand of the bench asks for. @type {Record<string, string>} */
const EDITS = {tip: 'focus', side: 'aperture', air: 'air'};
/** @type {{hand: string, id: string, at: number, values?: Record<string, unknown>} | null} */
let drag = null;
/** @returns {any} */
const bench = () => document.querySelector('[data-bench]');
function placed(event) {
  const svg = bench(), {left, right, floor, ceiling, most, near} = svg.dataset;
  const point = svgPoint(svg, event);
  const share = (value, from, to) => Math.max(0, Math.min(1, (value - from) / (to - from)));
  const high = share(point.y, +floor, +ceiling);
  return {at: drag.hand === 'air' ? drag.at : share(point.x, +left, +right), up: high * +most, kept: high, near};
}
document.addEventListener('pointerdown', (event) => {
  const hand = event.target.closest?.('[data-hand]'), stand = event.target.closest?.('[data-stand]');
  if (event.button || !(hand || stand)) return;
  event.preventDefault();
  if (!hand) { choose(stand.dataset.stand); return; }
  const {near} = bench().dataset;
  drag = {hand: hand.dataset.hand, id: hand.id, at: 1 - +(hand.dataset.at ?? 0) / +near};
  hand.focus({preventScroll: true});
});
document.addEventListener('pointermove', (event) => {
  if (!drag) return;
  drag.values = placed(event);
  preview(EDITS[drag.hand], drag.values);
});
document.addEventListener('pointerup', async () => {
  if (!drag) return;
  const {hand, id, values} = drag;
  drag = null;
  if (!values) return;
  await settled();
  await edit(EDITS[hand], values);
  document.getElementById(id)?.focus({preventScroll: true});
});
document.addEventListener('pointercancel', () => { drag = null; settled(); });

// By keyboard: a nudge is the same as one of the field that says the same.
/** The field that says the same as a hand, and which way it rises. @type {Record<string, [string, number]>} */
const FIELDS = {tip: ['f-focus', 1], side: ['f-aperture', -1], air: ['f-visibility', 1]};
document.addEventListener('keydown', (event) => {
  const hand = event.target.closest?.('[data-hand]'), stand = event.target.closest?.('[data-stand]');
  if (stand && ['Enter', ' '].includes(event.key)) { event.preventDefault(); choose(stand.dataset.stand); return; }
  if (!hand || !event.key.startsWith('Arrow')) return;
  event.preventDefault();
  const [id, sign] = FIELDS[hand.dataset.hand], field = document.getElementById(id);
  // near is on the left of the bench, so to the left means a higher rate
  const rises = (hand.dataset.hand === 'tip' ? ['ArrowLeft', 'ArrowUp'] : ['ArrowRight', 'ArrowUp']).includes(event.key) === (sign > 0);
  field.dispatchEvent(new KeyboardEvent('keydown', {key: rises ? 'ArrowUp' : 'ArrowDown', shiftKey: event.shiftKey, bubbles: true}));
});

// --- the key light on the plan -------------------------------------------------------------------------------------------
/** @type {Record<string, unknown> | null} */
let lit = null;
let lighting = false;
/** @returns {any} */
const lightPlan = () => document.querySelector('[data-light-plan]');
document.addEventListener('pointerdown', (event) => {
  if (event.button || !event.target.closest?.('#plan-light')) return;
  event.preventDefault();
  lighting = true;
  document.getElementById('plan-light').focus({preventScroll: true});
});
document.addEventListener('pointermove', (event) => {
  if (!lighting) return;
  const point = svgPoint(lightPlan(), event);
  document.getElementById('plan-light').setAttribute('transform', `translate(${point.x} ${point.y})`);
  lit = planPlace(lightPlan(), point);
  preview('light', lit);
});
document.addEventListener('pointerup', async () => {
  lighting = false;
  const asked = lit;
  lit = null;
  if (!asked) return;
  await settled();
  await edit('light', asked);
  document.getElementById('plan-light')?.focus({preventScroll: true});
});
document.addEventListener('keydown', (event) => {
  const mark = event.target.closest?.('#plan-light'), by = event.shiftKey ? 20 : 4;
  const way = {ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by]}[event.key];
  if (!mark || !way) return;
  event.preventDefault();
  const values = () => {
    const [x, y] = (document.getElementById('plan-light') ?? mark).getAttribute('transform').match(/-?[\d.]+/g).map(Number);
    return planPlace(lightPlan(), {x: x + way[0], y: y + way[1]});
  };
  edit('light', values).then(() => document.getElementById('plan-light')?.focus());
});
