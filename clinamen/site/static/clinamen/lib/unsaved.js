// What was typed and is not saved looks so: a mark on the field until an answer has taken it.
const FIELDS = '[data-edit], [data-knot-field], [data-carrier-field], [data-step-field], [data-field], .title';
/** When a request began, by the request. @type {WeakMap<XMLHttpRequest, number>} */
const begun = new WeakMap();
document.addEventListener('input', (event) => {
  const field = event.target;
  if (field.matches?.(`input:is(${FIELDS}), textarea:is(${FIELDS})`) && field.type !== 'range') field.dataset.unsaved = String(performance.now());
});
document.addEventListener('htmx:beforeRequest', (event) => { begun.set(event.detail.xhr, performance.now()); });
document.addEventListener('htmx:afterRequest', (event) => {
  const {xhr, requestConfig} = event.detail;
  const taken = xhr.status >= 200 && xhr.status < 300 && !xhr.getResponseHeader('X-Refused');
  if (!taken || requestConfig?.verb !== 'post' || requestConfig.parameters?.preview) return;
  for (const field of document.querySelectorAll('[data-unsaved]')) if (+field.dataset.unsaved < (begun.get(xhr) ?? 0)) delete field.dataset.unsaved;
});
// What is put back by hand is as it was saved.
document.addEventListener('change', (/** @type {any} */ event) => { if (event.target.dataset?.unsaved && event.target.value === event.target.defaultValue) delete event.target.dataset.unsaved; });
