// The turntable: cards placed by the server stand on it; the hand turns the whole, by dragging, by keys or by a named side.
const SIDES = {front: [0, 0], above: [-90, 0], side: [0, 90], aslant: [-24, 38]};
const STEP = 5, PER_PX = 0.4, STEEP = 90;
const kept = JSON.parse(sessionStorage.getItem('turntable') ?? 'null');
const turned = {tilt: kept?.tilt ?? SIDES.aslant[0], turn: kept?.turn ?? SIDES.aslant[1]};

function show() {
  const table = document.getElementById('turntable');
  if (!table) return;
  const space = /** @type {any} */ (table.querySelector('.turn-space'));
  space.style.transform = `rotateX(${turned.tilt}deg) rotateY(${turned.turn}deg)`;
  sessionStorage.setItem('turntable', JSON.stringify(turned));
  for (const button of document.querySelectorAll('[data-turn-to]')) {
    const [tilt, turn] = SIDES[/** @type {any} */ (button).dataset.turnTo];
    button.setAttribute('aria-pressed', String(turned.tilt === tilt && turned.turn === turn));
  }
}
// Where a card stands comes as numbers: a page's rules let no style come with markup.
function place() {
  for (const card of /** @type {NodeListOf<any>} */ (document.querySelectorAll('[data-card-matrix]'))) {
    const {cardMatrix, wide, high} = card.dataset;
    Object.assign(card.style, {width: `${wide}px`, height: `${high}px`, transform: `matrix3d(${cardMatrix})`});
  }
  const table = /** @type {any} */ (document.getElementById('turntable'));
  if (!table) return;
  const {wide, high, long} = table.dataset;
  for (const frame of /** @type {NodeListOf<any>} */ (table.querySelectorAll('[data-at]'))) {
    Object.assign(frame.style, {width: `${wide}px`, height: `${high}px`, left: `${-wide / 2}px`, top: `${-high / 2}px`, transform: `translateZ(${frame.dataset.at}px)`});
  }
  for (const side of /** @type {NodeListOf<any>} */ (table.querySelectorAll('[data-edge]'))) {
    const sign = side.dataset.edge === 'floor' ? 1 : -1;
    Object.assign(side.style, {width: `${wide}px`, height: `${long}px`, left: `${-wide / 2}px`, top: `${-long / 2}px`, transform: `translateY(${sign * high / 2}px) rotateX(90deg)`});
  }
  show();
}
/** @type {{x: number, y: number, tilt: number, turn: number, moved: boolean} | null} */
let held = null;
const within = (tilt) => Math.max(-STEEP, Math.min(STEEP, tilt));
document.addEventListener('pointerdown', (event) => {
  if (event.button || !event.target.closest?.('#turntable')) return;
  held = {x: event.clientX, y: event.clientY, ...turned, moved: false};
});
document.addEventListener('pointermove', (event) => {
  if (!held) return;
  const [x, y] = [event.clientX - held.x, event.clientY - held.y];
  if (!held.moved && Math.hypot(x, y) < 3) return;
  held.moved = true;
  turned.turn = ((held.turn + x * PER_PX + 540) % 360) - 180;
  turned.tilt = within(held.tilt - y * PER_PX);
  show();
});
// A press that turned the table chooses no card.
document.addEventListener('click', (event) => {
  if (held?.moved && event.target.closest?.('#turntable')) event.stopPropagation();
  held = null;
}, true);
for (const name of ['pointerup', 'pointercancel']) document.addEventListener(name, (event) => { if (held && (!held.moved || !event.target.closest?.('#turntable'))) held = null; });
document.addEventListener('keydown', (event) => {
  const way = {ArrowLeft: [0, -STEP], ArrowRight: [0, STEP], ArrowUp: [STEP, 0], ArrowDown: [-STEP, 0]}[event.key];
  if (!way || !event.target.closest?.('#turntable')) return;
  event.preventDefault();
  turned.tilt = within(turned.tilt + way[0]);
  turned.turn = ((turned.turn + way[1] + 540) % 360) - 180;
  show();
});
document.addEventListener('click', (event) => {
  const side = event.target.closest?.('[data-turn-to]')?.dataset.turnTo;
  if (!side) return;
  [turned.tilt, turned.turn] = SIDES[side];
  show();
});
document.addEventListener('htmx:afterSettle', place);
place();
