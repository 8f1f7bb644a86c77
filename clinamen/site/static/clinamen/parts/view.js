// The view: the scene in the page's own player, and the place of a finding marked on it. What answers bring of the stage is
// merged piece by piece: style sheets by layer, markup, drivers, findings.
export const at = {scroll: 0, u: 0, v: 0, time: 0};
export const stage = {};
const view = document.getElementById('view'), filters = {};
const runner = document.getElementById('scroll-runner'), clock = document.getElementById('clock');
const dot = document.getElementById('pointer-dot');
let player = null, markup = '';
/** The finding that is marked. @type {any} */
let marked = null;
// What stands beside the view, driven with it.
const besideBox = document.getElementById('beside'), besideSheet = new CSSStyleSheet();
const own = [...document.adoptedStyleSheets, besideSheet];
let besidePlayer = null, besideMarkup = '';
function takeBeside() {
  const {css = '', markup: fresh = '', says = '', now = ''} = stage.beside ?? {};
  view.parentElement.classList.toggle('split', !!fresh);
  document.getElementById('beside-says').textContent = says;
  document.getElementById('beside-now').textContent = now;
  besideSheet.replaceSync(css);
  if (fresh === besideMarkup) return;
  besideMarkup = fresh;
  besideBox.innerHTML = fresh;
  besidePlayer = fresh ? window.Clinamen.mount(besideBox.firstElementChild) : null;
}

// A style sheet a layer, so that only what is another is worked out anew.
/** @type {Map<string, {text: string, sheet: CSSStyleSheet}>} */
const styles = new Map();
function takeStyle(name, text) {
  if (!styles.has(name)) styles.set(name, {text: '', sheet: new CSSStyleSheet()});
  const held = styles.get(name);
  if (held.text !== text) held.sheet.replaceSync(held.text = text);
}
function orderStyles() {
  const order = [...own, ...stage.css_order.map((name) => styles.get(name).sheet)], now = document.adoptedStyleSheets;
  if (order.length !== now.length || order.some((sheet, index) => sheet !== now[index])) document.adoptedStyleSheets = order;
}

// Only a filter that is another is made anew: what wears the others is not drawn again.
const made = new Map();
function takeFilters() {
  const holder = document.getElementById('view-filters'), wanted = new Set(stage.filter_order);
  for (const [name, {element}] of made) if (!wanted.has(name)) { element.remove(); made.delete(name); }
  for (const name of stage.filter_order) {
    if (made.get(name)?.text === filters[name]) continue;
    const fresh = new DOMParser().parseFromString(`<svg xmlns="http://www.w3.org/2000/svg">${filters[name]}</svg>`, 'image/svg+xml').documentElement.firstElementChild;
    made.get(name)?.element.remove();
    made.set(name, {element: holder.appendChild(document.importNode(fresh, true)), text: filters[name]});
  }
}

// The title is in the bar, on the tab and at the page's head. What is being typed there stays.
function takeTitle() {
  const field = /** @type {HTMLInputElement} */ (document.querySelector('input.title'));
  if (field.value === field.defaultValue) field.value = stage.title;
  field.defaultValue = stage.title;
  const [room, name] = document.title.split(' · ').slice(-2);
  document.title = `${stage.title} · ${room} · ${name}`;
  document.querySelector('h1').textContent = `${stage.title}: ${room}`;
}

export function takeStage() {
  const fresh = JSON.parse(document.getElementById('stage-data').textContent);
  let refiltered = 'filter_order' in fresh;
  for (const [name, value] of Object.entries(fresh)) {
    if (name.startsWith('css/')) takeStyle(name.slice(4), value);
    else if (name.startsWith('filter/')) { filters[name.slice(7)] = value; refiltered = true; } else stage[name] = value;
  }
  if ('title' in fresh) takeTitle();
  // a place that was marked is marked as it is now, and no more where nothing is found there any more
  if ('findings' in fresh && marked) marked = stage.findings.find((one) => one.key === marked.key) ?? null;
  orderStyles();
  if (refiltered) takeFilters();
  // where a room shows no view, its pictures are not fetched either
  if (stage.markup !== markup && view.checkVisibility()) {
    markup = stage.markup;
    view.innerHTML = markup;
    player = window.Clinamen.mount(view.firstElementChild);
  }
  if ('beside' in fresh) takeBeside();
  for (const [name, on] of Object.entries(stage.drivers)) {
    const control = document.querySelector(`[data-driver="${name}"].driver`);
    if (control) control.hidden = !on;
    if (!on) Object.assign(at, name === 'pointer' ? {u: 0, v: 0} : {[name]: 0});
  }
  clock.max = stage.duration || 1;
  at.time = Math.min(at.time, stage.duration);
  drive();
  document.dispatchEvent(new Event('staged'));
}

/** Where the view's picture lies in its place: its top left corner there, and page px for a view px. */
export function frame() {
  const host = view.getBoundingClientRect(), [width, height] = stage.view, scale = Math.min(host.width / width, host.height / height);
  return {left: (host.width - width * scale) / 2, top: (host.height - height * scale) / 2, scale, host};
}
export function drive(values = {}) {
  Object.assign(at, values);
  player?.set(at);
  besidePlayer?.set(at);
  runner.value = at.scroll;
  clock.value = at.time;
  dot.setAttribute('cx', at.u * 44);
  dot.setAttribute('cy', at.v * 22);
  document.getElementById('scroll-value').textContent = at.scroll.toFixed(3);
  document.getElementById('pointer-value').textContent = `${at.u.toFixed(2)}, ${at.v.toFixed(2)}`;
  const seconds = (at.time % 60).toFixed(1).padStart(4, '0');
  document.getElementById('time-value').textContent = `${String(Math.floor(at.time / 60)).padStart(2, '0')}:${seconds}`;
  document.getElementById('frame-value').textContent = Math.round(at.time * (stage.fps ?? 25));
  drawMark();
  document.dispatchEvent(new Event('driven'));
}

// A finding's place on the view, shown while the drivers stand at its worst moment.
function drawMark() {
  const marks = document.getElementById('marks');
  marks.replaceChildren();
  const finding = marked;
  if (!finding) return;
  const {scroll, pointer, time} = finding.state;
  const away = [at.scroll - scroll, at.u - pointer[0], at.v - pointer[1], at.time - time];
  if (away.some((way) => Math.abs(way) > 0.011)) return;
  const {left, top, scale, host} = frame();
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
// Put the drivers at a finding's worst moment and mark its place.
export function showFinding(finding) {
  marked = finding;
  const {scroll, pointer, time} = finding.state;
  drive({scroll, u: pointer[0], v: pointer[1], time});
}
addEventListener('resize', () => player && drawMark());
// An answer tells of one swap several times over.
let taking = false;
document.addEventListener('htmx:oobAfterSwap', (event) => {
  if (event.detail.target?.id !== 'stage-data' || taking) return;
  taking = true;
  queueMicrotask(() => { taking = false; takeStage(); });
});
