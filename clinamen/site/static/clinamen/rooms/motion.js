// The room Motion: threads and their knots, chosen, moved, copied and bent by hand. Places and values come from the server and
// go back to it; what a press comes to it says and draws.
import {svgPoint} from '../lib/places.js';
import {choice, edit, look, preview, scene, settled} from '../lib/queue.js';
import {say} from '../lib/said.js';
import {driver} from '../parts/pose.js';
import {stop, sweep} from '../parts/drivers.js';
import {at, drive} from '../parts/view.js';

const NEAR = 6, MOVED = 3, MANY = 40;  // px: how near a knot comes to rest on another; a press that goes farther is a drag
const byId = (id) => document.getElementById(id);
/** The drawing that knots stand on: the threads, or one thread's curve. */
const drawing = () => byId('threads') ?? byId('thread-curve') ?? byId('path-plan');
const svgOf = (box) => (box.tagName === 'svg' ? box : byId('threads-over') ?? byId('ruler'));
const placeAt = (event) => {
  const box = drawing(), {left, per, end} = box.dataset;
  return Math.max(0, Math.min(+end, (svgPoint(svgOf(box), event).x - left) / per));
};
const here = () => at[driver()] ?? 0;

// --- what is chosen -----------------------------------------------------------------------------------------------------
// The choice's hidden field says it; while an answer is under way, what the hand chose since stands.
let mine = null;
const chosen = () => (mine ?? choice().knots).split(';').filter(Boolean);
// Knots have no ids: for each id in an answer the page would be searched through. A knot's name begins with its thread's.
function knotNamed(name) {
  const place = byId('thread-curve') ?? document.querySelector(`.thread[data-thread="${CSS.escape(name.slice(0, name.lastIndexOf(' ')))}"]`);
  return place?.querySelector(`.knot[data-knot="${CSS.escape(name)}"]`);
}
const knotsOf = (names) => [...document.querySelectorAll('.knot')].filter((knot) => names.includes(knot.dataset.knot));
// Only what differs is touched: there may be ten thousand knots.
function mark() {
  const names = new Set(chosen()), open = choice().open_thread;
  const show = (knot, on) => { knot.classList.toggle('chosen', on); knot.setAttribute('aria-pressed', on); };
  for (const knot of document.querySelectorAll('.knot.chosen')) if (!names.has(knot.dataset.knot)) show(knot, false);
  if (names.size > MANY) { for (const knot of document.querySelectorAll('.knot:not(.chosen)')) if (names.has(knot.dataset.knot)) show(knot, true); }
  else for (const name of names) { const knot = knotNamed(name); if (knot && !knot.classList.contains('chosen')) show(knot, true); }
  for (const thread of document.querySelectorAll('.thread.open')) if (thread.id !== open) thread.classList.remove('open');
  if (open) byId(open)?.classList.add('open');
  drawHere();
}
let marking = 0;
function markSoon() {
  if (!marking) marking = requestAnimationFrame(() => { marking = 0; mark(); sayHand(); });
}
/** @param {string[]} names @param {Record<string, unknown>} [also] */
function choose(names, also = {}) {
  const text = mine = [...new Set(names)].join(';');
  mark();
  return look({...also, knots: text}).then(() => { if (mine === text) mine = null; mark(); });
}
function drawHere() {
  const box = drawing();
  if (!box) return;
  const x = +box.dataset.left + here() * box.dataset.per;
  for (const id of ['here-line', 'here-mark']) byId(id)?.setAttribute('transform', `translate(${x} 0)`);
}
document.addEventListener('driven', drawHere);
document.addEventListener('htmx:afterSettle', markSoon);
document.addEventListener('htmx:oobAfterSwap', (event) => { if (['choice', 'drawing'].includes(event.detail.target?.id)) markSoon(); });
/** @param {string} name @param {Record<string, unknown>} [values] @param {() => string[]} [which] the knots' names when its turn comes */
const knotEdit = (name, values = {}, which = chosen) => edit(name, () => ({knots: which().join(';'), ...values})).then(() => { mine = null; mark(); });

// --- the hand -----------------------------------------------------------------------------------------------------------
/** What is under way: moving knots, bending an easing, a band round knots, or the driver. @type {any} */
let drag = null;
document.addEventListener('pointerdown', (event) => {
  if (event.button || !event.target.closest?.('#drawing')) return;
  const knot = event.target.closest('.knot'), bend = event.target.closest('.bend'), thread = event.target.closest('.thread');
  const from = [event.clientX, event.clientY];
  if (knot) {
    const name = knot.dataset.knot, names = chosen();
    if (event.shiftKey) { choose(names.includes(name) ? names.filter((each) => each !== name) : [...names, name]); return; }
    drag = {kind: 'knots', from, names: names.includes(name) ? names : [name], name, grab: +knot.dataset.at, moved: false};
    knot.focus({preventScroll: true});
  } else if (event.target.closest('.way-knot')) {
    const way = event.target.closest('.way-knot');
    drag = {kind: 'way', from, at: way.dataset.at, moved: false};
    way.focus({preventScroll: true});
  } else if (bend) drag = {kind: 'bend', from, at: bend.dataset.at, handle: bend.dataset.handle, moved: false};
  else if (event.target.closest('#ruler')) { drag = {kind: 'driver', from}; stop(); drive({[drawing().dataset.driver]: placeAt(event)}); }
  else if (event.target.closest('.threads-scroll, .thread-curve')) drag = {kind: 'band', from, thread, shift: event.shiftKey, moved: false};
  if (drag) event.preventDefault();
});
document.addEventListener('pointermove', (event) => {
  if (!drag) return;
  if (drag.kind === 'driver') return drive({[drawing().dataset.driver]: placeAt(event)});
  if (!drag.moved && Math.hypot(event.clientX - drag.from[0], event.clientY - drag.from[1]) < MOVED) return;
  drag.moved = true;
  if (drag.kind === 'band') return drawBand(event);
  drag.values = {knots: movedTo, bend: bentTo, way: wayTo}[drag.kind](event);
  followHand(event);
  preview(EDIT_OF[drag.kind], drag.values);
});
function movedTo(event) {
  const box = drawing(), svg = svgOf(box), start = svgPoint(svg, {clientX: drag.from[0], clientY: drag.from[1]}), point = svgPoint(svg, event);
  const values = {knots: drag.names.join(';'), by: (point.x - start.x) / box.dataset.per, grab: drag.grab, here: here()};
  if (!event.altKey) values.snap = NEAR / box.dataset.per;
  if (box.id === 'thread-curve') values.lift = event.shiftKey ? 0 : (start.y - point.y) / box.dataset.rise;
  return values;
}
const EDIT_OF = {knots: 'move-knots', bend: 'bend', way: 'path-knot'};
/** A knot of the camera's way, moved by px of the drawing: seen from above (x right, z up) or from the side (z right, y down). */
function wayBy(at, right, down) {
  const {per, axis, driver} = byId('path-plan').dataset;
  return axis === 'x' ? {driver, at, by_x: right / per, by_z: -down / per} : {driver, at, by_y: down / per, by_z: right / per};
}
/** The place of the world that a press on the drawing of the way meets. */
function wayPoint(event) {
  const {left, top, per, axis, firstAcross, firstDown, driver} = byId('path-plan').dataset, point = svgPoint(byId('path-plan'), event);
  const right = +firstAcross + (point.x - left) / per, down = (point.y - top) / per;
  return axis === 'x' ? {driver, axis, across: right, ahead: +firstDown - down} : {driver, axis, across: +firstDown + down, ahead: right};
}
function wayTo(event) {
  const svg = byId('path-plan'), start = svgPoint(svg, {clientX: drag.from[0], clientY: drag.from[1]}), point = svgPoint(svg, event);
  return wayBy(drag.at, point.x - start.x, point.y - start.y);
}
function bentTo(event) {
  const {left, per, top, first, rise, thread} = byId('thread-curve').dataset, point = svgPoint(byId('thread-curve'), event);
  return {thread, at: drag.at, handle: drag.handle, to_at: (point.x - left) / per, to_value: +first - (point.y - top) / rise};
}
// A ring stays under the hand; the knots come after it as the server draws them, and what they come to stands beside it.
function sayHand() {
  const says = byId('hand-says'), names = drag?.moved && drag.kind === 'knots' ? chosen() : [];
  if (says) says.textContent = names.length > 1 ? `${names.length} knots` : names.length ? knotNamed(names[0])?.querySelector('title')?.textContent ?? '' : '';
}
function followHand(event) {
  const ring = byId('hand-ring');
  if (!ring) return;
  if (ring.hidden) ring.hidden = false;
  ring.style.transform = `translate(${event.clientX}px, ${event.clientY}px)`;
}
function drawBand(event) {
  const band = byId('band');
  if (!band) return;
  const svg = band.ownerSVGElement, one = svgPoint(svg, {clientX: drag.from[0], clientY: drag.from[1]}), two = svgPoint(svg, event);
  for (const [name, value] of Object.entries({x: Math.min(one.x, two.x), y: Math.min(one.y, two.y), width: Math.abs(one.x - two.x), height: Math.abs(one.y - two.y)})) band.setAttribute(name, value);
  band.removeAttribute('hidden');
}
/** @param {number[]} from @param {any} event */
function inBand(from, event) {
  const [left, right] = [from[0], event.clientX].sort((a, b) => a - b), [top, bottom] = [from[1], event.clientY].sort((a, b) => a - b);
  return [...document.querySelectorAll('.knot')].filter((knot) => {
    const box = knot.querySelector('.ring').getBoundingClientRect(), x = box.x + box.width / 2, y = box.y + box.height / 2;
    return x >= left && x <= right && y >= top && y <= bottom;
  }).map((knot) => knot.dataset.knot);
}
document.addEventListener('pointerup', async (event) => {
  const done = drag;
  drag = null;
  byId('hand-ring')?.setAttribute('hidden', '');
  sayHand();
  byId('band')?.setAttribute('hidden', '');
  if (!done || done.kind === 'driver') return;
  if (!done.moved) {
    if (done.kind === 'way') return drive({[byId('path-plan').dataset.driver]: +done.at});
    if (done.kind === 'knots') return choose([done.name], {open_thread: threadOf(done.name)});
    if (done.kind === 'band' && done.thread) return choose([], {open_thread: done.thread.id});
    return done.kind === 'band' && choose([]);
  }
  if (done.kind === 'band') return choose([...(done.shift ? chosen() : []), ...inBand(done.from, event)]);
  await settled();
  await edit(EDIT_OF[done.kind], done.values);
  mine = null;
  mark();
  focusDragged(done, event);
});
/** What was dragged gets the keyboard's focus again, since the server drew it anew; not where the person has gone on to something else. */
function focusDragged(done, event) {
  if (document.activeElement !== document.body && !document.activeElement?.closest('#drawing')) return;
  const found = {knots: () => nearest(knotsOf(chosen()), event), way: () => nearest([...document.querySelectorAll('.way-knot')], event),
    bend: () => document.querySelector(`.bend[data-at="${done.at}"][data-handle="${done.handle}"]`)}[done.kind]();
  /** @type {SVGElement | null} */ (found)?.focus({preventScroll: true});
}
/** @param {any[]} things @param {any} event */
function nearest(things, event) {
  const away = (thing) => { const box = thing.getBoundingClientRect(); return Math.hypot(box.x + box.width / 2 - event.clientX, box.y + box.height / 2 - event.clientY); };
  return things.filter(Boolean).sort((one, other) => away(one) - away(other))[0] ?? null;
}
document.addEventListener('pointercancel', () => {
  const done = drag;
  drag = null;
  if (done?.moved && done.names) settled().then(() => look({knots: done.names.join(';')}));
});
/** The id of the thread that a knot stands on. @param {string} name */
const threadOf = (name) => knotNamed(name)?.closest('.thread')?.id ?? choice().open_thread;
document.addEventListener('dblclick', (event) => {
  if (event.target.closest?.('.path-plan') && !event.target.closest('.way-knot')) { edit('path-tie', wayPoint(event)); return; }
  const thread = event.target.closest?.('.thread, .thread-curve');
  if (!thread || event.target.closest('.knot, .bend')) return;
  if (event.target.closest('.thread-who, .thread-move')) return look({drawn: 'curve', open_thread: thread.id});
  tie(thread.dataset.thread, placeAt(event));
});
const tie = (thread, place) => edit('add-knot', {thread, at: place, knots: ''}).then(() => { mine = null; mark(); });

// --- keys and buttons ---------------------------------------------------------------------------------------------------
const copied = () => sessionStorage.getItem('clinamen-knots') ?? '';
function copy() {
  const keys = knotsOf(chosen()).map((knot) => knot.dataset.key).filter(Boolean);
  if (!keys.length) { say('Nothing is copied: choose knots first'); return; }
  sessionStorage.setItem('clinamen-knots', `[${keys.join(',')}]`);
  say(`${keys.length === 1 ? 'One knot' : `${keys.length} knots`} copied. Put the driver where the first is to stand, and paste`);
}
const paste = () => knotEdit('paste-knots', {knots: '', clip: copied(), at: here(), thread: byId(choice().open_thread)?.dataset.thread ?? ''});
const DOES = {
  copy, paste, remove: () => knotEdit('remove-knots'), reverse: () => knotEdit('reverse-knots'), all: () => choose([...document.querySelectorAll('.knot')].map((knot) => knot.dataset.knot)),
  spread: () => knotEdit('scale-knots', {factor: byId('knots-factor').value, about: byId('knots-about').value || here()}),
  tie: () => tie(byId('tie-thread').value, here()),
};
document.addEventListener('click', (event) => {
  const does = event.target.closest?.('[data-knots]')?.dataset.knots;
  if (does) DOES[does]();
});
document.addEventListener('change', (event) => {
  const name = event.target.dataset?.knotField;
  if (name) knotEdit('set-knots', {[name]: event.target.value});
});
// Carriers: fields of each, and who rides on what.
document.addEventListener('change', (event) => {
  const target = /** @type {HTMLInputElement} */ (event.target);
  const {carrierField, carrierOn, groupCarrier} = target.dataset ?? {};
  if (carrierField) edit('carrier', {of: carrierField, [target.name]: target.value});
  else if (carrierOn) edit('carry', {of: carrierOn, carrier: target.value});
  else if (groupCarrier) edit('carry', {group: groupCarrier, carrier: target.value});
});
// After an answer the same knot, or the thread it stood on, has the keys again.
async function keeping(work) {
  const thread = document.activeElement.closest('.thread, .thread-curve')?.id, index = knotsIn(thread).indexOf(/** @type {any} */ (document.activeElement));
  await work;
  const knots = knotsIn(thread);
  (knots[Math.min(index, knots.length - 1)] ?? byId(thread))?.focus({preventScroll: true});
}
const knotsIn = (id) => (id ? [...document.querySelectorAll(`#${CSS.escape(id)} .knot`)] : []);
document.addEventListener('keydown', (event) => {
  const on = event.target.closest?.('.knot, .thread, .bend, .way-knot');
  if (!on) return;
  const took = on.matches('.way-knot') ? wayKey(on, event) : on.matches('.knot') ? knotKey(on, event) : on.matches('.bend') ? bendKey(on, event) : threadKey(on, event);
  if (!took) return;
  event.preventDefault();
  event.stopImmediatePropagation();
}, true);
function threadKey(thread, event) {
  const threads = [...document.querySelectorAll('.thread')], index = threads.indexOf(thread);
  const knots = knotsIn(thread.id), command = event.ctrlKey || event.metaKey;
  if (event.key === 'ArrowDown') threads[index + 1]?.focus();
  else if (event.key === 'ArrowUp') threads[index - 1]?.focus();
  else if (event.key === 'ArrowRight') knots[0]?.focus();
  else if (event.key === 'ArrowLeft') knots.at(-1)?.focus();
  else if (event.key === 'Enter') look({drawn: 'curve', open_thread: thread.id});
  else if (event.key === 'k') keeping(tie(thread.dataset.thread, here()));
  else if (event.key === 'v' && command) look({open_thread: thread.id}).then(() => keeping(paste()));
  else return false;
  return true;
}
function knotKey(knot, event) {
  const box = drawing().dataset, name = knot.dataset.knot;
  // Where a press before this one has moved it, it has another name, and the answer has chosen it.
  const mineOnly = () => (chosen().includes(name) || !knotNamed(name) ? chosen() : [name]);
  const holder = knot.closest('.thread, .thread-curve'), knots = knotsIn(holder.id), command = event.ctrlKey || event.metaKey;
  const way = {ArrowLeft: -1, ArrowRight: 1}[event.key], up = {ArrowUp: 1, ArrowDown: -1}[event.key], by = event.shiftKey ? 10 : 1;
  if (command && way) keeping(knotEdit('move-knots', {by: way * by * box.step, nudge: 1}, mineOnly));
  else if (command && up) keeping(knotEdit('move-knots', {by: 0, lift: up * by * (box.lift ?? 1), nudge: 1}, mineOnly));
  else if (way) knots[knots.indexOf(knot) + way]?.focus();
  else if (up) { if (holder.matches('.thread')) threadKey(holder, event); } else if (event.key === 'Enter' || event.key === ' ') {
    const names = chosen();
    keeping(choose(names.includes(name) ? names.filter((each) => each !== name) : [...(event.shiftKey ? names : []), name], {open_thread: threadOf(name)}));
  } else if (['Delete', 'Backspace'].includes(event.key)) keeping(knotEdit('remove-knots', {}, mineOnly));
  else if (command && event.key === 'c') copy();
  else if (command && event.key === 'x') { copy(); keeping(knotEdit('remove-knots')); } else if (command && event.key === 'v') keeping(paste());
  else if (command && event.key === 'a') keeping(DOES.all());
  else if (event.key === 'r' && !command) keeping(knotEdit('reverse-knots'));
  else if (event.key === 'Escape') keeping(choose([]));
  else return false;
  return true;
}
function wayKey(knot, event) {
  const step = event.shiftKey ? 10 : 1, way = {ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step]}[event.key];
  if (!way) return false;
  const now = () => (byId(knot.id) ?? knot).dataset;
  edit('path-knot', () => ({...wayBy(now().at, ...way), nudge: 1})).then(() => byId(knot.id)?.focus());
  return true;
}
function bendKey(bend, event) {
  const by = event.shiftKey ? 10 : 1, find = `.bend[data-at="${bend.dataset.at}"][data-handle="${bend.dataset.handle}"]`;
  const way = {ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1]}[event.key];
  if (!way) return false;
  const values = () => {
    const now = document.querySelector(find) ?? bend, {left, per, top, first, rise, thread, step, lift} = byId('thread-curve').dataset;
    const place = (now.getAttribute('cx') - left) / per + way[0] * by * step, value = +first - (now.getAttribute('cy') - top) / rise + way[1] * by * lift;
    return {thread, at: bend.dataset.at, handle: bend.dataset.handle, to_at: place, to_value: value, nudge: 1};
  };
  edit('bend', values).then(() => document.querySelector(find)?.focus());
  return true;
}
mark();

// Trying an edit: shown and played over its driver, made only when that is pressed.
/** @type {{name: string, values: Record<string, any>} | null} */
let tried = null;
async function tryOut(button) {
  const mine = {name: button.dataset.try, values: Object.fromEntries(new FormData(button.form))};
  await edit(mine.name, {...mine.values, preview: 'hasty'});
  if (document.querySelector('#toast .wrong')) return;
  tried = mine;
  preview(mine.name, mine.values);
  byId('tried').removeAttribute('hidden');
  sweep(String(mine.values.driver));
}
const TRIED = {make: () => edit(tried.name, tried.values), again: () => sweep(String(tried.values.driver)), 'let-go': () => { stop(); look({}); }};
document.addEventListener('click', (event) => {
  const button = event.target.closest?.('[data-try]'), answer = event.target.closest?.('[data-tried]')?.dataset.tried;
  if (button) tryOut(button);
  else if (answer && tried) TRIED[answer]();
});
// Whatever else is asked for lets it go.
document.addEventListener('htmx:beforeRequest', (event) => {
  const {parameters, path} = event.detail.requestConfig ?? {};
  if (!tried || !parameters?.page || parameters.preview || parameters.verdict || /\/(fixes|largest)\/$/.test(path)) return;
  tried = null;
  byId('tried')?.setAttribute('hidden', '');
});
document.addEventListener('change', (event) => {
  const field = event.target.dataset?.look;
  if (field) look({[field]: event.target.value});
});

// Sections of the readout stay folded as they were, in every answer and on the next page.
const FOLDED = 'clinamen-folded';
const folded = () => new Set((localStorage.getItem(FOLDED) ?? '').split(' ').filter(Boolean));
/** @returns {HTMLDetailsElement[]} */
const panes = () => /** @type {any} */ ([...document.querySelectorAll('.pane')]);
const fold = () => { const shut = folded(); for (const pane of panes()) pane.open = !shut.has(pane.id); };
document.addEventListener('click', (event) => {
  const head = event.target.closest?.('.pane > summary'), shut = folded(), pane = panes().find((each) => each === head?.parentElement);
  if (!pane) return;
  if (pane.open) shut.add(pane.id); else shut.delete(pane.id);
  localStorage.setItem(FOLDED, [...shut].join(' '));
});
document.addEventListener('htmx:oobAfterSwap', (event) => { if (event.detail.target?.id === 'readout' || event.detail.target?.matches('.pane')) fold(); });
fold();

// A stride that was typed, and the ground it is walked on, stay with the actor in this browser: they are no part of the scene.
const STRIDE = ['stride', 'stride-ground'], strideOf = () => `stride ${scene} ${choice().chosen}`;
document.addEventListener('change', (event) => {
  if (STRIDE.includes(event.target.id)) localStorage.setItem(strideOf(), JSON.stringify(STRIDE.map((id) => /** @type {HTMLInputElement} */ (byId(id)).value)));
});
function keepStride() {
  const form = byId('stride-form'), kept = localStorage.getItem(strideOf());
  if (!form || !kept || form.dataset.kept) return;
  form.dataset.kept = '1';
  JSON.parse(kept).forEach((value, number) => { /** @type {HTMLInputElement} */ (byId(STRIDE[number])).value = value; });
  htmx.trigger(form, 'change');
}
document.addEventListener('htmx:afterSettle', keepStride);
keepStride();
