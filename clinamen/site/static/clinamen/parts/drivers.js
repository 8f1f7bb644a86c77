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
export function play() {
  if (running) return stop();
  let last;  // a frame's time is when it began, which can be before the press: the first frame starts the clock
  const tick = (now) => {
    last ??= now;
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

export function goThere(number) {
  stop();
  showFinding(number);
}
export function toRest() {
  stop();
  drive({scroll: 0, u: 0, v: 0, time: 0});
}
