// What was pressed is answered before the page is left: a browser drops what it has not sent yet. A link waits for it and shows
// that it works; pressed once more, or where the window is closed, the browser asks.
import {answered, unsent} from './queue.js';
import {unanswered} from './slow.js';

const underWay = () => unsent() || unanswered() > 0;
const BESIDE = 50;  // ms between looks at what does not stand in the line
async function ended() {
  while (underWay()) {
    await answered();
    if (underWay()) await new Promise((rest) => { setTimeout(rest, BESIDE); });
  }
}
document.addEventListener('click', async (event) => {
  const link = /** @type {Element} */ (event.target).closest?.('a[href]');
  if (!(link instanceof HTMLAnchorElement) || event.defaultPrevented || event.button || event.ctrlKey || event.metaKey || event.shiftKey) return;
  if (link.target || link.hasAttribute('download') || link.getAttribute('href').startsWith('#') || !underWay()) return;
  if (link.hasAttribute('aria-busy')) return;
  event.preventDefault();
  link.setAttribute('aria-busy', 'true');
  await ended();
  link.removeAttribute('aria-busy');
  location.assign(link.href);
});
window.addEventListener('beforeunload', (event) => { if (underWay()) event.preventDefault(); });
