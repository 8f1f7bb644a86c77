// An answer that is slow says so, and is not asked for twice.
const PATIENT = 4000;  // ms
let waiting = 0, line = null;
/** How many changes are asked for and not answered. */
export const unanswered = () => waiting;
document.addEventListener('htmx:beforeRequest', (event) => {
  const {xhr, requestConfig} = event.detail;
  if (requestConfig?.verb === 'get' || requestConfig?.parameters?.preview) return;
  waiting += 1;
  const late = setTimeout(() => {
    line = Object.assign(document.createElement('div'), {className: 'toast-line', textContent: 'The answer is slow to come. What you did is on its way and need not be done again.'});
    document.getElementById('toast').replaceChildren(line);
  }, PATIENT);
  xhr.addEventListener('loadend', () => {
    clearTimeout(late);
    waiting -= 1;
    if (!waiting) { line?.remove(); line = null; }
  });
});
