// What every page has: the theme switch, dropping files, upload progress, questions before deleting, toasts.
document.addEventListener('click', (event) => {
  if (event.target.closest('[data-theme-switch]')) {
    const root = document.documentElement;
    root.dataset.bsTheme = root.dataset.bsTheme === 'dark' ? 'light' : 'dark';
    localStorage.setItem('theme', root.dataset.bsTheme);
  }
  if (event.target.closest('[data-close-notices]')) document.getElementById('notices').remove();
  if (event.target.closest('[data-close-toast]')) document.getElementById('toast').replaceChildren();
});
document.addEventListener('submit', (event) => {
  const question = event.target.dataset?.ask;
  if (question && !confirm(question)) event.preventDefault();
});

// Files dropped anywhere go to the page's file field.
const field = () => document.querySelector('[data-drop] input[type=file]');
const carriesFiles = (event) => [...(event.dataTransfer?.types ?? [])].includes('Files');
document.addEventListener('dragover', (event) => {
  if (!carriesFiles(event) || !field()) return;
  event.preventDefault();
  field().closest('[data-drop]').classList.add('over');
});
document.addEventListener('dragleave', (event) => {
  if (!event.relatedTarget) field()?.closest('[data-drop]').classList.remove('over');
});
document.addEventListener('drop', (event) => {
  if (!carriesFiles(event) || !field()) return;
  event.preventDefault();
  field().closest('[data-drop]').classList.remove('over');
  field().files = event.dataTransfer.files;
  field().dispatchEvent(new Event('change', {bubbles: true}));
});
document.addEventListener('change', (event) => {
  const chosen = event.target.closest('[data-drop]')?.querySelector('[data-chosen]');
  if (!chosen || event.target.type !== 'file') return;
  const files = [...event.target.files];
  chosen.textContent = files.length === 1 ? files[0].name : `${files.length} files chosen`;
});
// How much of an upload is sent; from then on the server reads it, and nobody knows how long.
function shown(form, share) {
  /** @type {HTMLProgressElement | null} */
  const bar = form.querySelector?.('progress[data-sending]');
  if (!bar) return;
  bar.hidden = share === null;
  form.querySelector('[data-sent]').hidden = share !== 1;
  if (share === 1) bar.removeAttribute('value');
  else bar.value = 100 * (share ?? 0);
}
document.addEventListener('htmx:xhr:progress', (event) => {
  if (event.detail.lengthComputable) shown(/** @type {any} */ (event.target), event.detail.loaded / event.detail.total);
});
document.addEventListener('htmx:afterRequest', (event) => shown(/** @type {any} */ (event.target), null));
// What was refused before says nothing of what is sent now, or of the file that is chosen next.
document.addEventListener('change', (event) => {
  const files = event.target.matches?.('input[type=file]') ? event.target : null;
  if (files) clear(files.closest('form')?.querySelector(':scope > #refused'));
});
function clear(before) {
  if (!before) return;
  before.className = '';
  before.replaceChildren();
}
document.addEventListener('htmx:beforeRequest', (event) => {
  const {elt} = event.detail;
  if (elt?.matches?.('input[type=file], [hx-encoding]')) document.querySelector('#toast .wrong')?.remove();
  if (elt?.matches?.('input[type=file]')) elt.closest('label')?.setAttribute('aria-busy', 'true');
  clear(event.target.querySelector?.(':scope > #refused'));
});
document.addEventListener('htmx:afterRequest', (event) => {
  const {elt} = event.detail;
  if (!elt?.matches?.('input[type=file]')) return;
  elt.closest('label')?.removeAttribute('aria-busy');
  if (event.detail.successful) elt.value = '';  // the same file can be chosen again
});

// What went wrong is said where toasts stand. What was entered stays on the page; what was sent and changes something can be sent again.
const CHANGES = ['post', 'put', 'patch', 'delete'];
function say(sentence, detail) {
  const line = document.createElement('div');
  line.className = 'toast-line wrong';
  line.append(Object.assign(document.createElement('span'), {textContent: sentence}));
  const asked = detail?.requestConfig;
  if (asked && CHANGES.includes(asked.verb) && !asked.parameters.preview) {
    const again = document.createElement('button');
    again.type = 'button';
    again.className = 'quiet';
    again.textContent = 'Send it again';
    again.addEventListener('click', () => { line.remove(); sendAgain(asked); });
    line.append(' ', again);
  }
  document.getElementById('toast').replaceChildren(line);
}
function sendAgain({verb, path, parameters, elt, target}) {
  if (elt?.matches?.('form') && elt.isConnected) elt.requestSubmit();
  else htmx.ajax(verb, path, {source: elt?.isConnected ? elt : document.body, target: target?.isConnected ? target : document.body, swap: elt?.closest?.('[hx-swap]')?.getAttribute('hx-swap') ?? 'none', values: {...parameters}});
}
const TRIED = 2;  // s until what only looks is asked for again by itself: how an export stands, the verdict
document.addEventListener('htmx:sendError', (event) => say('The server does not answer. What you did last is not saved; send it again when it is back.', event.detail));
document.addEventListener('htmx:responseError', (event) => {
  const {status, responseText} = event.detail.xhr;
  if (status === 403) say('You are signed out. Sign in again in another tab, then repeat what you did last.', event.detail);
  else if ([413, 500, 503, 507].includes(status) && responseText.length < 400) say(responseText, event.detail);
  else say(`The server could not do that (${status}). Reload the page and try again.`, event.detail);
});
// Who asks again and again how something stands goes on asking when an answer did not come.
for (const failed of ['htmx:sendError', 'htmx:responseError']) document.addEventListener(failed, (event) => {
  const {elt, requestConfig} = event.detail;
  if (requestConfig?.verb !== 'get' || !elt?.getAttribute?.('hx-trigger')?.startsWith('load delay')) return;
  setTimeout(() => { if (elt.isConnected) htmx.ajax('get', requestConfig.path, {source: elt, target: requestConfig.target ?? elt, swap: elt.getAttribute('hx-swap') ?? 'outerHTML'}); }, 1000 * TRIED);
});
