// Fixes are asked for after the findings stand there, and not while a hand drags; those that come for findings no longer on show
// are left out.
import {asker, choice, scene} from './queue.js';

const REST = 120;  // ms
let due = 0;
function askSoon() {
  clearTimeout(due);
  if (!document.querySelector('.fixes[data-wanted]')) return;
  const ask = () => htmx.ajax('GET', `/scenes/${scene}/fixes/`, {...asker('asks-fixes'), values: choice()});
  due = setTimeout(ask, REST);
}
document.addEventListener('htmx:beforeRequest', (event) => { if (event.detail.requestConfig?.parameters?.preview) clearTimeout(due); });
document.addEventListener('htmx:afterRequest', (event) => {
  const {parameters, path} = event.detail.requestConfig ?? {};
  if (parameters?.page && !parameters.preview && !path.endsWith('/fixes/')) askSoon();
});
document.addEventListener('htmx:beforeSwap', (event) => {
  if (!event.detail.requestConfig?.path.endsWith('/fixes/')) return;
  const answer = Object.assign(document.createElement('template'), {innerHTML: event.detail.serverResponse});
  for (const list of [...answer.content.children]) if (!document.getElementById(list.id)) list.remove();
  event.detail.serverResponse = answer.innerHTML;
});
askSoon();
