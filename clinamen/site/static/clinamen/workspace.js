// The workspace's hands: drags, keys and the drivers. Everything that is computed comes finished from the server.
export const root = document.getElementById('desk');
export const scene = root.dataset.scene;
const view = document.getElementById('view');
const sheet = new CSSStyleSheet();
document.adoptedStyleSheets = [...document.adoptedStyleSheets, sheet];
const at = {scroll: 0, u: 0, v: 0, time: 0};
let stage = null, player = null, markup = '';

// --- the view ---------------------------------------------------------------------------------------------------------
function takeStage() {
  stage = JSON.parse(document.getElementById('stage-data').textContent);
  sheet.replaceSync(stage.css);
  if (stage.markup !== markup) {
    markup = stage.markup;
    view.innerHTML = markup;
    player = window.Clinamen.mount(view.firstElementChild);
  }
  for (const [name, on] of Object.entries(stage.drivers)) {
    const control = document.querySelector(`[data-driver="${name}"].driver`);
    if (control) control.hidden = !on;
    if (!on) Object.assign(at, name === 'pointer' ? {u: 0, v: 0} : {[name]: 0});
  }
  document.getElementById('clock').max = stage.duration || 1;
  at.time = Math.min(at.time, stage.duration);
  drive();
}

const runner = document.getElementById('scroll-runner'), clock = document.getElementById('clock');
const pad = document.getElementById('pointer-pad'), dot = document.getElementById('pointer-dot');
let marked = -1;

function drive(values = {}) {
  Object.assign(at, values);
  player.set(at);
  runner.value = at.scroll;
  clock.value = at.time;
  dot.setAttribute('cx', at.u * 44);
  dot.setAttribute('cy', at.v * 22);
  document.getElementById('scroll-value').textContent = at.scroll.toFixed(3);
  document.getElementById('pointer-value').textContent = `${at.u.toFixed(2)}, ${at.v.toFixed(2)}`;
  const seconds = (at.time % 60).toFixed(1).padStart(4, '0');
  document.getElementById('time-value').textContent = `${String(Math.floor(at.time / 60)).padStart(2, '0')}:${seconds}`;
  drawMark();
}

// A finding's place on the view, shown while the drivers stand at its worst moment.
function drawMark() {
  const marks = document.getElementById('marks');
  marks.replaceChildren();
  const finding = stage.findings[marked];
  if (!finding) return;
  const {scroll, pointer, time} = finding.state;
  const away = [at.scroll - scroll, at.u - pointer[0], at.v - pointer[1], at.time - time];
  if (away.some((way) => Math.abs(way) > 0.011)) return;
  const host = marks.getBoundingClientRect(), [width, height] = stage.view;
  const scale = Math.min(host.width / width, host.height / height);
  const left = (host.width - width * scale) / 2, top = (host.height - height * scale) / 2;
  for (const kind of ['under', finding.severity]) {
    const box = document.createElementNS('http://www.w3.org/2000/svg', 'rect');
    box.setAttribute('class', kind);
    box.setAttribute('x', left + finding.where.x * scale);
    box.setAttribute('y', top + finding.where.y * scale);
    box.setAttribute('width', Math.max(4, finding.where.width * scale));
    box.setAttribute('height', Math.max(4, finding.where.height * scale));
    marks.append(box);
  }
  const words = document.createElementNS('http://www.w3.org/2000/svg', 'text');
  words.textContent = finding.label;
  words.setAttribute('x', Math.min(host.width - 70, left + finding.where.x * scale + 4));
  words.setAttribute('y', Math.max(14, top + finding.where.y * scale + 16));
  marks.append(words);
}
function goThere(number) {
  stop();
  marked = number;
  const {scroll, pointer, time} = stage.findings[number].state;
  drive({scroll, u: pointer[0], v: pointer[1], time});
}
addEventListener('resize', () => stage && drawMark());

// --- drivers ----------------------------------------------------------------------------------------------------------
runner.addEventListener('input', () => { stop(); drive({scroll: +runner.value}); });
clock.addEventListener('input', () => { stop(); drive({time: +clock.value}); });
function aimPad(event) {
  const box = pad.getBoundingClientRect();
  const place = (way, size) => Math.max(-1, Math.min(1, (way / size * 2 - 1) * 1.14));
  drive({u: place(event.clientX - box.left, box.width), v: place(event.clientY - box.top, box.height)});
}
pad.addEventListener('pointerdown', (event) => { stop(); pad.setPointerCapture(event.pointerId); aimPad(event); });
pad.addEventListener('pointermove', (event) => { if (pad.hasPointerCapture(event.pointerId)) aimPad(event); });
pad.addEventListener('keydown', (event) => {
  const step = event.shiftKey ? 0.25 : 0.05;
  const way = {ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step]}[event.key];
  if (!way) return;
  event.preventDefault();
  const keep = (value) => Math.max(-1, Math.min(1, value));
  drive({u: keep(at.u + way[0]), v: keep(at.v + way[1])});
});

let running = 0;
function stop() {
  cancelAnimationFrame(running);
  running = 0;
  showRunning(false);
}
function showRunning(on) {
  const button = document.getElementById('play');
  button.setAttribute('aria-pressed', on);
  button.querySelector('[data-when=still]').hidden = on;
  button.querySelector('[data-when=running]').hidden = !on;
}
function play() {
  if (running) return stop();
  let last = performance.now();
  const tick = (now) => {
    drive({time: (at.time + (now - last) / 1000) % stage.duration});
    last = now;
    running = requestAnimationFrame(tick);
  };
  running = requestAnimationFrame(tick);
  showRunning(true);
}
document.getElementById('play').addEventListener('click', play);
const hands = JSON.parse(document.getElementById('hands-data').textContent);
function rehearse() {
  stop();
  const hand = hands[document.getElementById('hand').value];
  if (!hand) return;
  const begun = performance.now();
  const tick = (now) => {
    const index = Math.min(hand.rows.length - 1, Math.floor((now - begun) / 1000 * 60));
    drive(Object.fromEntries(hand.moves.map((name, column) => [name, hand.rows[index][column]])));
    running = index < hand.rows.length - 1 ? requestAnimationFrame(tick) : 0;
  };
  running = requestAnimationFrame(tick);
}
document.getElementById('rehearse').addEventListener('click', rehearse);

// --- asking the server ------------------------------------------------------------------------------------------------
export const choice = () => Object.fromEntries(new FormData(document.getElementById('choice')));
// One request after another, each on the revision that the one before it made: quick clicks and keys are all kept.
let line = Promise.resolve();
export function send(verb, path, values) {
  const ask = () => htmx.ajax(verb, path, {values: {...choice(), ...values}, swap: 'none', source: root});
  line = line.then(ask, ask);
  return line;
}
export const edit = (name, values) => send('POST', `/scenes/${scene}/edit/${name}/`, values);
export const look = (values) => send('GET', `/scenes/${scene}/desk/`, values);
// A button that an answer replaces would lose a second press made meanwhile, so buttons stand in the same line.
document.addEventListener('htmx:confirm', (event) => {
  const button = event.detail.elt;
  if (!root.parentElement.contains(button) || !button.matches('button[hx-post][hx-swap=none]')) return;
  event.preventDefault();
  send('POST', button.getAttribute('hx-post'), JSON.parse(button.getAttribute('hx-vals') || '{}'));
});
function choose(layer) {
  if (choice().chosen === layer) return;
  const address = new URL(location);
  address.searchParams.set('layer', layer);
  history.replaceState(history.state, '', address);
  look({chosen: layer});
}
document.addEventListener('htmx:oobAfterSwap', (event) => { if (event.detail.target?.id === 'stage-data') queueMicrotask(takeStage); });

// Fixes that come for findings which are no longer on show are left out.
document.addEventListener('htmx:beforeSwap', (event) => {
  if (!event.detail.requestConfig?.path.endsWith('/fixes/')) return;
  const answer = Object.assign(document.createElement('template'), {innerHTML: event.detail.serverResponse});
  for (const list of [...answer.content.children]) if (!document.getElementById(list.id)) list.remove();
  event.detail.serverResponse = answer.innerHTML;
});

// A new export stands at the top of its room's list.
document.addEventListener('htmx:afterSettle', () => {
  if (root.dataset.room === 'export' && document.activeElement?.closest('.export-card')) document.getElementById('drawing').scrollTop = 0;
});

// While a drag runs only the newest place is asked for, one request at a time.
let asking = false, next = null;
async function ask(name, values) {
  next = [name, values];
  if (asking) return;
  asking = true;
  try { while (next) { const now = next; next = null; await edit(...now); } } finally { asking = false; }
}

// --- dragging a sheet of the plan or a rung of the ladder ------------------------------------------------------------
let drag = null;
const svgPoint = (svg, event) => new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
function shareAt(event) {
  const svg = document.querySelector(drag.selector);
  const point = svgPoint(svg, event), data = svg.dataset;
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
  ask('depth', {layer: drag.layer, chosen: drag.layer, at: drag.at, near: drag.near, preview: 1});
});
// The dragged thing follows the hand at once; what the server drew is put under it when it comes.
function followHand() {
  const thing = document.getElementById(drag.id);
  if (!thing) return;
  const data = document.querySelector(drag.selector).dataset;
  if (drag.upright) {
    thing.setAttribute('cy', +data.top + (1 - drag.at) * (data.bottom - data.top));
  } else {
    const x = +data.left + drag.at * (data.right - data.left);
    thing.setAttribute('transform', `translate(${x - thing.dataset.x} 0)`);
    thing.classList.add('dragged');
  }
}
document.addEventListener('htmx:afterRequest', () => { if (drag?.moved) followHand(); });
async function drop() {
  const done = drag;
  drag = null;
  if (!done.moved) return choose(done.layer);
  next = null;
  while (asking) await new Promise((wait) => setTimeout(wait, 5));
  await edit('depth', {layer: done.layer, chosen: done.layer, at: done.at, near: done.near});
  document.getElementById(done.id)?.focus({preventScroll: true});
}
document.addEventListener('pointerup', () => { if (drag) drop(); });
document.addEventListener('pointercancel', () => { if (drag) { drag = null; look({}); } });

// Enter in the title saves it as leaving the field does; the form itself goes nowhere.
document.addEventListener('submit', (event) => { if (event.target.matches('.title-form')) event.preventDefault(); });

// --- fields -----------------------------------------------------------------------------------------------------------
document.addEventListener('change', (event) => {
  const field = event.target, data = field.dataset ?? {};
  if (data.edit) sendField(field);
  if (data.driverSwitch) edit('driver', {driver: data.driverSwitch, on: field.checked ? 1 : 0});
  if ('setHold' in data) look({hold: field.value});
});
function sendField(field, nudge = '') {
  const data = field.dataset;
  const values = {[field.name]: field.value, layer: choice().chosen, nudge};
  if (data.driver) values.driver = data.driver;
  if (data.channel) values.channel = data.channel;
  return edit(data.edit, values);
}
// Arrow keys nudge a number where it stands; its unit stays.
document.addEventListener('keydown', (event) => {
  const field = event.target;
  if (!field.matches?.('.num') || !['ArrowUp', 'ArrowDown'].includes(event.key)) return;
  const match = field.value.replace('−', '-').replace(/[\u202f ](?=\d)/g, '').match(/^(-?[\d.,]+)(.*)$/);
  if (!match) return;
  event.preventDefault();
  const step = +field.dataset.step * (event.shiftKey ? 10 : 1) * (event.key === 'ArrowUp' ? 1 : -1);
  field.value = `${+(+match[1].replace(',', '.') + step).toFixed(4)}${match[2]}`;
  clearTimeout(field.later);
  field.later = setTimeout(() => {
    const now = document.getElementById(field.id);
    if (now.dataset.edit) sendField(now, 1);
    else now.dispatchEvent(new Event('change', {bubbles: true}));
  }, 180);
});

// --- keys and clicks --------------------------------------------------------------------------------------------------
document.addEventListener('click', (event) => {
  const target = event.target.closest?.('[data-choose],[data-go],[data-set-axis],[data-set-fan],[data-set-speed],[data-keys]');
  if (!target) return;
  const data = target.dataset;
  if (data.choose) choose(data.choose);
  else if (data.go) goThere(+data.go);
  else if (data.setAxis) look({axis: data.setAxis});
  else if (data.setFan) look({fan_driver: data.setFan});
  else if ('setSpeed' in data) look({speed: data.setSpeed});
  else if ('keys' in data) document.getElementById('keys').showModal();
});
document.addEventListener('keydown', (event) => {
  const typing = event.target.matches?.('input:not([type=range]), select, textarea');
  const thing = event.target.closest?.('.sheet, .rung');
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z' && !typing) {
    event.preventDefault();
    send('POST', `/scenes/${scene}/history/${event.shiftKey ? 'redo' : 'undo'}/`, {});
  } else if (thing && ['ArrowLeft', 'ArrowRight', 'ArrowUp', 'ArrowDown'].includes(event.key)) {
    event.preventDefault();
    const farther = ['ArrowRight', 'ArrowUp'].includes(event.key);
    const step = (event.shiftKey ? 0.1 : 0.01) * (farther ? -1 : 1);
    const rate = Math.max(0, Math.round((+thing.getAttribute('aria-valuenow') + step) * 1000) / 1000);
    edit('depth', {layer: thing.dataset.layerId, chosen: thing.dataset.layerId, rate, nudge: 1}).then(() => document.getElementById(thing.id)?.focus());
  } else if (thing && event.key === 'Enter') choose(thing.dataset.layerId);
  else if (event.target.closest?.('.layer-card') && ['ArrowUp', 'ArrowDown'].includes(event.key)) {
    event.preventDefault();
    const cards = [...document.querySelectorAll('.layer-card')];
    const card = cards[cards.indexOf(event.target.closest('.layer-card')) + (event.key === 'ArrowDown' ? 1 : -1)];
    if (card) { const {id} = card; card.focus(); look({chosen: card.dataset.choose}).then(() => document.getElementById(id)?.focus()); }
  } else if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
  else if (event.key === '?') document.getElementById('keys').showModal();
  else if (event.key === ' ' && !event.target.closest('button, a, summary')) { event.preventDefault(); if (stage.drivers.time) play(); }
  else if (event.key === '0') { stop(); drive({scroll: 0, u: 0, v: 0, time: 0}); }
  else if (/^[1-6]$/.test(event.key)) document.querySelectorAll('.rooms a')[event.key - 1].click();
});

takeStage();
if (root.dataset.room === 'proof' && stage.findings.length) goThere(0);
