// Asking the server: one request after another, each on the revision that the one before it made, so that quick presses are
// all kept. While a hand drags, only the newest place is asked for.
export const root = document.getElementById('desk');
export const scene = root.dataset.scene;
/** The hidden fields that every request carries, by name. @returns {Record<string, string>} */
export const choice = () => /** @type {any} */ (Object.fromEntries(new FormData(document.getElementById('choice'))));

// Who asks stands apart: classes that come and go on an element make the browser look at all that is in it.
/** @param {string} id */
export const asker = (id) => { const element = document.getElementById(id); return {source: element, target: element, swap: 'none'}; };
/** @type {Promise<unknown>} */
let line = Promise.resolve();
/** What is shown was asked for since others changed something; nobody's hand waits for it. */
let followed = false;
/** That is being asked for: its number, and how who stands behind it in the line is let pass. @type {{number: string, pass: () => void} | null} */
let following = null;
let follows = 0, hands = 0;  // the last one's number; what hands have asked for that has not begun
/** What hands have asked for so far, answered; and whether some of it has not even been sent. */
export const answered = () => line.then(() => {}, () => {});
export const unsent = () => hands > 0;
/** Numbers of those that a hand came before; what they bring is left out. @type {Set<string>} */
const late = new Set();
/** What is asked with; a function where it starts from what the answer before it will have left. @typedef {Record<string, unknown>} Values */
/**
 * Ask for something in its turn, with the hidden fields and these values.
 * @param {'GET' | 'POST'} verb
 * @param {string} path
 * @param {Values | (() => Values)} values
 */
export function send(verb, path, values) {
  hands += 1;
  if (following) {  // a hand does not wait for what others did: its own answer has that too
    late.add(following.number);
    following.pass();
  }
  const told = () => (typeof values === 'function' ? values() : values);
  const ask = () => {
    hands -= 1;
    followed = false;
    return htmx.ajax(verb, path, {...asker('asks-in-line'), values: {...choice(), ...told()}});
  };
  line = line.then(ask, ask);
  return line;
}
/**
 * See the newest state, in its turn and behind what hands ask for, if by then it still is `needed` and no hand's answer brings it;
 * how many ms the answer took, 0 where it was not asked for or left out.
 * @param {() => boolean} needed
 */
export async function catchUp(needed) {
  let took = 0;
  const ask = () => {
    if (hands || following || !needed()) return undefined;
    const number = String(follows += 1), begun = performance.now();
    followed = true;
    return new Promise((pass) => {
      following = {number, pass: () => pass(undefined)};
      htmx.ajax('GET', `/scenes/${scene}/desk/`, {...asker('asks-following'), values: {...choice(), follows: number}})
        .then(() => { if (!late.has(number)) took = performance.now() - begun; }, () => {})
        .finally(() => { late.delete(number); following = null; pass(undefined); });
    });
  };
  line = line.then(ask, ask);
  await line;
  return took;
}
/** Make an edit. @param {string} name @param {Values | (() => Values)} values */
export const edit = (name, values) => send('POST', `/scenes/${scene}/edit/${name}/`, values);
/** See something else: another layer, drawing or step. @param {Record<string, unknown>} values */
export const look = (values) => send('GET', `/scenes/${scene}/desk/`, values);

// Whatever changes the scene stands in the same line: a button or a form that an answer replaces would lose a second press made
// meanwhile, and undo would overtake what it is to take back. What is sent is what stood there at the press. Files are sent apart.
const INLINE = '[hx-post][hx-swap=none]:not([hx-encoding])';
document.addEventListener('htmx:confirm', (event) => {
  const element = event.detail.elt;
  if (!root.parentElement.contains(element) || !element.matches(INLINE)) return;
  event.preventDefault();
  const pressed = event.detail.triggeringEvent?.submitter ?? element;
  const sent = send('POST', element.getAttribute('hx-post'), {...fieldsOf(element, pressed), ...JSON.parse(pressed.getAttribute('hx-vals') || element.getAttribute('hx-vals') || '{}')});
  if (!pressed.matches('button')) return;
  pressed.setAttribute('aria-busy', 'true');  // it shows at once that it works
  sent.finally(() => pressed.removeAttribute('aria-busy'));
});
/** What an element would send: its form's fields with the button's own, or its own value. A name that comes several times has a list. */
function fieldsOf(element, pressed) {
  const form = element.closest('form');
  /** @type {Record<string, any>} */
  const values = {};
  if (form) for (const name of new Set([...new FormData(form).keys()])) {
    const all = new FormData(form).getAll(name);
    values[name] = all.length > 1 ? all : all[0];
  }
  if (pressed.name && (!form || pressed.type === 'submit' || pressed.type === 'button')) values[pressed.name] = pressed.value;
  return values;
}

// A chosen layer is shown as chosen in the frame of the press. Until the server has shown what belongs to it the readout, which still
// speaks of the layer before, takes nothing.
const readout = document.querySelector('.readout-side');
/** The choice that the server has not answered yet. @type {{layer: string, many: string} | null} */
let awaited = null;
let answeredLayer = choice().chosen;  // the layer that the readout speaks of
/** Mark layers as chosen, before the server has answered. @param {string} layer @param {string} many */
export function showChosen(layer, many = '') {
  const fields = /** @type {any} */ (document.getElementById('choice')).elements;
  fields.chosen.value = layer;
  fields.many.value = many;
  const among = new Set(many.split(' ').filter(Boolean));
  for (const card of document.querySelectorAll('[data-choose]')) {
    const own = card.dataset.choose, row = card.closest('.card-row, tr');
    row?.classList.toggle('chosen', own === layer);
    row?.classList.toggle('among', among.has(own));
    if (own === layer) card.setAttribute('aria-current', 'true'); else card.removeAttribute('aria-current');
  }
  for (const thing of document.querySelectorAll('.rung[data-layer-id], .sheet[data-layer-id]')) {
    thing.classList.toggle('chosen', thing.dataset.layerId === layer);
    thing.classList.toggle('among', among.has(thing.dataset.layerId));
  }
}
/** See another choice of layers. @param {string} layer @param {string} many several, with spaces between */
export async function lookAt(layer, many = '') {
  const mine = {layer, many};
  awaited = mine;
  showChosen(layer, many);
  readout.inert = true;
  await look({chosen: layer, many}).catch(() => {});
  if (awaited !== mine) return;  // another press came meanwhile
  awaited = null;
  readout.inert = false;
  if (answeredLayer !== layer) showChosen(answeredLayer);  // there was no answer
}
// An answer to something asked for before the press shows the earlier choice: the newer one stays.
document.addEventListener('htmx:oobAfterSwap', (event) => {
  if (event.detail.target?.id !== 'choice') return;
  answeredLayer = choice().chosen;
  queueMicrotask(() => { if (awaited) showChosen(awaited.layer, awaited.many); });
});

// Proofs are asked for beside the line, so that nothing waits for a long one. What comes for a page that has moved on is left out.
let under = 0, left = false, previewing = false;
/** @param {'GET' | 'POST'} verb @param {string} path @param {Record<string, unknown>} values */
const beside = (verb, path, values) => htmx.ajax(verb, path, {...asker('asks-beside'), values: {...choice(), ...values, verdict: 1}});
/** The view as it is kept, drawn by the server. @param {Record<string, unknown>} values */
export const seen = (values) => htmx.ajax('GET', `/scenes/${scene}/seen/`, {...asker('asks-seen'), values: {...choice(), ...values}});
const moves = (config) => !!config?.parameters?.page && !config.parameters.verdict && !/\/(fixes|seen)\/$/.test(config.path);
document.addEventListener('htmx:beforeRequest', (event) => {
  if (!moves(event.detail.requestConfig)) return;
  under += 1;
  previewing = !!event.detail.requestConfig.parameters.preview;
});
document.addEventListener('htmx:afterRequest', (event) => { if (moves(event.detail.requestConfig)) under -= 1; });
document.addEventListener('htmx:beforeSwap', (event) => {
  const asked = event.detail.requestConfig?.parameters;
  if (late.has(asked?.follows)) event.detail.shouldSwap = false;
  if (asked?.verdict && (under || asked.number !== choice().number)) { event.detail.shouldSwap = false; left = true; }
});
// The verdict that an answer went without; one at a time, asked for again where it came too late. What is only shown is not what
// is kept: meanwhile nobody asks, and what comes of it asks anew.
let proving = false, wanted = false;
export async function verdict() {
  wanted = true;
  document.getElementById('verdict').classList.add('proving');
  if (proving) return;
  proving = true;
  try {
    while (wanted && !previewing) {
      await line;
      wanted = left = false;
      await beside('GET', `/scenes/${scene}/desk/`, followed ? {follows: 'proof'} : {});
      wanted ||= left;
    }
    document.getElementById('verdict').classList.remove('proving');
  } finally { proving = false; }
}
document.addEventListener('unproved', verdict);

// Previews: picture and numbers first; the verdict when the hand has rested for a moment. What an answer brought is drawn before
// the next is asked for, and the hand's own frames have room between.
const REST = 140, ROOM = 34;  // ms
const drawn = () => new Promise((done) => { requestAnimationFrame(() => setTimeout(done, ROOM)); });
let asking = null, resting = 0;
/** The newest place of the hand that was not asked for yet. @type {[string, Record<string, unknown>] | null} */
let next = null;
/** How something is shown while the hand moves, and `rested`; by its name and what more it is told. @type {(rested: boolean) => Record<string, unknown>} */
const usual = () => ({preview: 'hasty'});
/** Show what an edit would do. @param {string} name @param {Record<string, unknown>} values */
export function preview(name, values, how = usual) {
  next = [name, values];
  clearTimeout(resting);
  asking ??= (async () => {
    try {
      let last = next, shown = 'hasty';
      while (next) {
        const told = how(false);
        [last, next, shown] = [next, null, String(told.preview)];
        await edit(last[0], {...last[1], ...told});
        if (next) await drawn();
      }
      resting = setTimeout(() => rested(last[0], {...last[1], ...how(true)}, shown), REST);
    } finally { asking = null; }
  })();
}
let ended = 0;  // how often what was shown was done with
async function rested(name, values, shown) {
  if (asking) return;
  const before = ended;
  if (shown !== 'hasty') await edit(name, values);
  if (!asking && !next && ended === before) beside('POST', `/scenes/${scene}/edit/${name}/`, {...values, preview: 'proved'});
}
// What was asked for last is forgotten; resolves when no preview is under way.
export async function settled() {
  next = null;
  ended += 1;
  clearTimeout(resting);
  await asking;
  clearTimeout(resting);
}
