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
document.addEventListener('htmx:xhr:progress', (event) => {
  /** @type {HTMLProgressElement | null} */
  const bar = /** @type {any} */ (event.target).querySelector?.('progress');
  if (!bar || !event.detail.lengthComputable) return;
  bar.hidden = false;
  bar.value = 100 * event.detail.loaded / event.detail.total;
});

function say(sentence) {
  const line = document.createElement('div');
  line.className = 'toast-line wrong';
  line.textContent = sentence;
  document.getElementById('toast').replaceChildren(line);
}
document.addEventListener('htmx:sendError', () => say('The server does not answer. What you did last is not saved; try it again when it is back.'));
document.addEventListener('htmx:responseError', (event) => {
  const status = event.detail.xhr.status;
  say(status === 403 ? 'You are signed out. Sign in again in another tab, then repeat what you did last.' : `The server could not do that (${status}). Reload the page and try again.`);
});
