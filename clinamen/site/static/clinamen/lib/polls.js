// What asks by itself how far something is does not draw a button anew while it is pressed: the press would be lost. It asks again
// once the hand lets go. Such an element says `data-poll`.
const KEYS = [' ', 'Enter'];
let pressed = false;
/** Those that did not ask, or whose answer was left out. @type {Set<Element>} */
const left = new Set();
function letGo() {
  pressed = false;
  // after the click that the release makes
  setTimeout(() => { for (const poll of left) htmx.trigger(poll, 'poll'); left.clear(); });
}
document.addEventListener('pointerdown', () => { pressed = true; }, true);
document.addEventListener('keydown', (event) => { pressed ||= KEYS.includes(event.key); }, true);
for (const name of ['pointerup', 'pointercancel', 'keyup']) document.addEventListener(name, letGo, true);
window.addEventListener('blur', letGo);
/** @param {any} event */
function hold(event) {
  const poll = event.detail.requestConfig?.elt;
  if (!pressed || !poll?.matches('[data-poll]')) return;
  left.add(poll);
  if (event.type === 'htmx:beforeSwap') event.detail.shouldSwap = false;
  else event.preventDefault();
}
document.addEventListener('htmx:beforeRequest', hold);
document.addEventListener('htmx:beforeSwap', hold);
// An answer that comes when its element is gone is for nobody: the row that it names may be gone too. An element that stands nowhere
// tells no other of its events, so it is listened to itself.
document.addEventListener('htmx:beforeCleanupElement', (event) => {
  const poll = event.target;  // also words that stand between elements
  if (poll instanceof Element && poll.matches('[data-poll]')) poll.addEventListener('htmx:beforeOnLoad', (late) => late.preventDefault());
});
