// The room Look: switches, and sliders and colours that are seen while they are set.
import '../parts/bench.js';
import '../parts/lookmarks.js';
import {choice, edit, look, preview, seen, settled} from '../lib/queue.js';
import {at} from '../parts/view.js';
import {drawsByProcessor} from '../lib/graphics.js';
import {drawCurves} from '../parts/tones.js';

document.addEventListener('change', (event) => {
  const {lookSwitch, name, on, off} = event.target.dataset ?? {};
  if (lookSwitch) edit(lookSwitch, {layer: choice().chosen, [name]: event.target.checked ? on : off});
});
// --- sliders, colours, switches: seen while they are set ---------------------------------------------------------------
const said = (field) => (field.type === 'checkbox' ? (field.checked ? '1' : '0') : field.value);
/** @param {any} field @returns {[string, Record<string, unknown>]} */
function asked(field) {
  const {lookSet, group = '', index, field: name} = field.dataset;
  return [lookSet, {layer: choice().chosen, group, ...index === undefined ? {} : {index}, [name]: said(field)}];
}
document.addEventListener('input', (event) => {
  const field = event.target;
  if (!field.dataset?.lookSet || !['range', 'color'].includes(field.type)) return;
  if (field.type === 'range') /** @type {HTMLInputElement} */ (document.getElementById(field.id.replace(/-slider$/, ''))).value = field.value;
  preview(...asked(field), shownHow);
});
// Where the browser takes long to draw the view with what it wears, the server draws it: small but at once while the hand moves,
// whole when it rests. The view itself takes it up beneath, out of sight, and is shown when the hand has been away for a while.
const SLOW = 90, HAND = 1500, AWAY = 900;  // ms: from an answer to the second frame after it; for how long a hand counts as moving
const surround = document.querySelector('.surround'), known = 'clinamen-slow';
let slow = sessionStorage.getItem(known) === '1', touched = 0, times = 0, setting = 0, away;
let ahead = false;  // the server's picture shows what the view does not wear yet
function slowly() {
  slow = true;
  sessionStorage.setItem(known, '1');
}
if (sessionStorage.getItem(known) === null) {
  requestIdleCallback(() => {
    sessionStorage.setItem(known, '0');
    if (drawsByProcessor()) slowly();
  });
}
const whole = () => ({wide: Math.round(surround.clientWidth * devicePixelRatio), ...at});
function shownHow(rested) {
  touched = performance.now();
  clearTimeout(away);
  if (!slow) return {preview: 'hasty'};
  return {preview: 'glance', ...rested ? whole() : at};
}
const uncover = () => { clearTimeout(away); surround.classList.remove('glancing'); };
const uncoverSoon = () => { clearTimeout(away); if (!ahead) away = setTimeout(uncover, AWAY); };
function worn() {
  ahead = false;
  uncoverSoon();
}
document.addEventListener('htmx:beforeRequest', (event) => { ahead ||= event.detail.requestConfig.parameters.preview === 'glance'; });
document.addEventListener('staged', () => {
  if (ahead) worn();
  const from = performance.now(), covered = surround.classList.contains('glancing');
  if (covered || from - touched > HAND) return;
  requestAnimationFrame(() => requestAnimationFrame(() => {
    times = performance.now() - from > SLOW ? times + 1 : 0;
    if (times > 1) slowly();  // once may be anything
  }));
});
document.addEventListener('htmx:oobAfterSwap', (event) => {
  if (event.detail.target?.id !== 'glance') return;
  surround.classList.add('glancing');
  uncoverSoon();
});
document.addEventListener('htmx:afterRequest', (event) => {
  // where nothing looks different no stage comes
  if (!event.detail.successful || event.detail.requestConfig.parameters.preview === 'proved') worn();
});
// A picture of what is no longer so is left out.
document.addEventListener('htmx:beforeSwap', (event) => {
  const {since} = event.detail.requestConfig?.parameters ?? {};
  if (since && Number(since) < touched) event.detail.shouldSwap = false;
});
// Whatever else is asked for is seen in the view itself.
document.addEventListener('htmx:afterOnLoad', (event) => {
  const {preview: how, verdict} = event.detail.requestConfig?.parameters ?? {};
  if (!how && !verdict && !setting && !event.detail.requestConfig.path.endsWith('/seen/')) uncover();
});
document.addEventListener('driven', () => { if (!setting && performance.now() - touched > HAND) uncover(); });
// The bench and what is said of the lens follow the drivers, once these rest.
const RESTS = 250;  // ms
let resting = 0;
const now = () => `${+at.scroll.toFixed(4)},${+at.time.toFixed(3)}`;
document.addEventListener('driven', () => {
  clearTimeout(resting);
  resting = setTimeout(() => {
    if (document.querySelector('[data-follows-drivers]') && now() !== choice().now) look({now: now()});
  }, RESTS);
});
document.addEventListener('change', async (event) => {
  const field = event.target;
  if (!field.dataset?.lookSet) return;
  const [name, values] = asked(field), id = document.activeElement?.id;
  setting += 1;
  clearTimeout(away);
  try {
    await settled();
    await edit(name, values);
  } finally { setting -= 1; }
  ahead = false;
  if (slow && !setting) seen({...whole(), since: touched = performance.now()}).finally(uncoverSoon);
  if (id) document.getElementById(id)?.focus({preventScroll: true});
});
// What was open stays open when it is drawn anew; a step that was just added is open.
const open = new Set();
document.addEventListener('toggle', (event) => {
  const thing = /** @type {HTMLDetailsElement} */ (event.target);
  if (thing.dataset.keptOpen === undefined || !thing.isConnected) return;
  if (thing.open) open.add(thing.id); else open.delete(thing.id);
}, true);
function reopen() {
  for (const id of open) { document.getElementById(id)?.setAttribute('open', ''); }
  drawCurves();
}
document.addEventListener('htmx:oobAfterSwap', reopen);  // at once: a key that is pressed before is nobody's
document.addEventListener('htmx:afterSettle', reopen);
document.addEventListener('click', (event) => {
  const button = event.target.closest?.('[hx-post$="/look-add/"]');
  if (!button) return;
  const section = button.closest('.looks');
  open.add(`${section.id}-${section.querySelectorAll('.step').length}`);
  open.delete(`${section.id}-add`);
});
document.addEventListener('submit', (event) => {
  const form = /** @type {any} */ (event.target);
  if (form.dataset.together === undefined) return;
  form.elements.layers.value = [...form.querySelectorAll('[data-together-layer]:checked')].map((box) => box.value).join(' ');
}, true);

