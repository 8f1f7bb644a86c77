// The driver bar: a runner for the scroll, a pad for the pointer, a clock; and recorded hands to rehearse with.
import {at, drive, showFinding, stage} from './view.js';

const runner = document.getElementById('scroll-runner'), clock = document.getElementById('clock');
const pad = document.getElementById('pointer-pad');

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
export function stop() {
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
// The part that is played, in seconds; null: to the end.
const part = {from: 0, to: null};
const partEnd = () => Math.min(part.to ?? stage.duration, stage.duration);
/** Play at the scene's own frame rate, the part over and over; the rate that is really reached is shown. */
export function play() {
  if (running) return stop();
  let last, clockAt = at.time >= partEnd() - 1e-6 || at.time < part.from ? part.from : at.time;
  let shown = -1, count = 0, since;
  const tick = (now) => {  // a frame's time is when it began, which can be before the press: the first frame starts the clock
    last ??= now;
    since ??= now;
    const span = Math.max(1e-3, partEnd() - part.from);
    clockAt = part.from + ((clockAt - part.from + (now - last) / 1000) % span + span) % span;
    last = now;
    const frame = Math.floor(clockAt * stage.fps + 1e-6);
    if (frame !== shown) { drive({time: Math.min(frame / stage.fps, stage.duration)}); shown = frame; count += 1; }
    if (now - since > 1000) { rate.textContent = `${(count * 1000 / (now - since)).toFixed(0)} of ${+stage.fps.toFixed(2)}`; since = now; count = 0; }
    running = requestAnimationFrame(tick);
  };
  running = requestAnimationFrame(tick);
  showRunning(true);
}
const rate = document.getElementById('rate-value');
export function step(by) {
  stop();
  drive({time: Math.max(0, Math.min(stage.duration, (Math.round(at.time * stage.fps) + by) / stage.fps))});
}
export function setPart(which) {
  if (which === 'in') { part.from = at.time; if (part.to !== null && part.to <= part.from) part.to = null; }
  else if (which === 'out') { part.to = at.time; if (part.to <= part.from) part.from = 0; }
  else Object.assign(part, {from: 0, to: null});
  const all = part.from === 0 && part.to === null, bar = document.getElementById('clock-part');
  document.getElementById('whole-part').hidden = bar.hidden = all;
  bar.style.left = `${100 * part.from / stage.duration}%`;
  bar.style.right = `${100 - 100 * partEnd() / stage.duration}%`;
}
document.querySelector('.clock-tools').addEventListener('click', (event) => {
  const {step: by, part: which} = event.target.closest('button')?.dataset ?? {};
  if (by) step(+by);
  else if (which) setPart(which);
});
clock.addEventListener('keydown', (event) => {  // the arrow keys go frame by frame
  const by = {ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1}[event.key];
  if (!by) return;
  event.preventDefault();
  step(by * (event.shiftKey ? 10 : 1));
});
document.getElementById('play').addEventListener('click', play);
const hands = JSON.parse(document.getElementById('hands-data').textContent);
function rehearse() {
  stop();
  const hand = hands[document.getElementById('hand').value];
  if (!hand) return;
  let begun;
  const tick = (now) => {
    begun ??= now;
    const index = Math.min(hand.rows.length - 1, Math.floor((now - begun) / 1000 * 60));
    drive(Object.fromEntries(hand.moves.map((name, column) => [name, hand.rows[index][column]])));
    running = index < hand.rows.length - 1 ? requestAnimationFrame(tick) : 0;
  };
  running = requestAnimationFrame(tick);
}
document.getElementById('rehearse').addEventListener('click', rehearse);
const SWEEP = 4;  // s: a scroll from its start to its end
/** Play a driver once from its start to its end. @param {string} driver */
export function sweep(driver) {
  stop();
  const end = driver === 'time' ? stage.duration : 1, seconds = driver === 'time' ? stage.duration : SWEEP;
  let begun;
  const tick = (now) => {
    begun ??= now;
    const share = Math.min(1, (now - begun) / 1000 / seconds);
    drive({[driver]: share * end});
    running = share < 1 ? requestAnimationFrame(tick) : 0;
  };
  running = requestAnimationFrame(tick);
}

export function goThere(number) {
  stop();
  showFinding(stage.findings[number]);
}
// A spot of the map is a moment too.
document.addEventListener('click', (event) => {
  const spot = event.target.closest?.('[data-map-go]');
  if (!spot) return;
  stop();
  showFinding(JSON.parse(spot.dataset.mapGo));
});
document.addEventListener('keydown', (event) => {
  const spot = event.target.closest?.('[data-map-go]');
  if (!spot) return;
  const beside = {ArrowLeft: spot.previousElementSibling, ArrowRight: spot.nextElementSibling}[event.key];
  if (beside?.matches('[data-map-go]')) { event.preventDefault(); beside.focus(); }
  else if (event.key === 'Enter' || event.key === ' ') { event.preventDefault(); event.stopPropagation(); stop(); showFinding(JSON.parse(spot.dataset.mapGo)); }
}, true);
export function toRest() {
  stop();
  drive({scroll: 0, u: 0, v: 0, time: 0});
}
