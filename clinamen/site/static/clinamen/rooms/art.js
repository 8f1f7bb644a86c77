// The room Art: choosing many layers, dragging rows to another place, dialogs of bringing in.
import {choice, edit, look, scene} from '../lib/queue.js';

const chosen = () => [...document.querySelectorAll('.pick:checked')].map((box) => box.value);
let kept = [], opened = false;
function count() {
  const ids = chosen(), line = document.getElementById('many-count');
  if (line) line.textContent = ids.length ? `${ids.length} chosen` : 'none chosen';
  kept = ids;
  const form = document.getElementById('many');
  if (!form) return;
  form.hidden = !(opened || ids.length);
  document.querySelector('[data-many-open]').setAttribute('aria-expanded', !form.hidden);
}
document.addEventListener('change', (event) => {
  if (event.target.id === 'choose-all') document.querySelectorAll('.pick').forEach((box) => { box.checked = event.target.checked; });
  if (event.target.matches?.('.pick, #choose-all')) count();
});
// What was chosen stays chosen when the list is drawn anew.
document.addEventListener('htmx:afterSettle', () => {
  for (const id of kept) { const box = document.getElementById(`pick-${id}`); if (box) box.checked = true; }
  count();
});
document.addEventListener('click', (event) => {
  if (event.target.closest?.('[data-many-open]')) { opened = !opened; count(); return; }
  const button = event.target.closest?.('[data-many-do]');
  if (!button) return;
  event.preventDefault();
  const form = document.getElementById('many'), {manyDo, by, visible} = button.dataset;
  const values = {layers: chosen().join(' '), match: form.elements.match.value, group: form.elements.group.value, to: form.elements.to.value};
  if (by) values.by = by;
  if (visible) values.visible = visible;
  edit(manyDo, values);
});
// Groups fold away: which are folded is remembered for the scene.
document.addEventListener('click', (event) => {
  const name = event.target.closest?.('[data-fold]')?.dataset.fold;
  if (name === undefined) return;
  const folded = new Set(choice().folded.split('\t').filter(Boolean));
  if (!folded.delete(name)) folded.add(name);
  const text = [...folded].join('\t');
  document.cookie = `folded=${encodeURIComponent(text)}; path=/scenes/${scene}/; max-age=31536000; samesite=lax`;
  look({folded: text});
});
document.addEventListener('submit', (event) => { if (event.target.id === 'many') { event.preventDefault(); document.querySelector('[data-many-do=group]').click(); } });

// Rows by mouse: the dragged row, or all chosen ones with it, go above or below the row they are dropped on, as it says.
let dragged = '';
const unmark = () => document.querySelectorAll('.drop-here, .drop-below').forEach((row) => row.classList.remove('drop-here', 'drop-below'));
const below = (row, event) => { const box = row.getBoundingClientRect(); return event.clientY > box.top + box.height / 2; };
document.addEventListener('dragstart', (event) => {
  const row = event.target.closest?.('[data-row]');
  if (!row || !event.target.closest('.grip-cell')) return;
  dragged = row.dataset.row;
  event.dataTransfer.effectAllowed = 'move';
  event.dataTransfer.setData('text/plain', dragged);
});
document.addEventListener('dragover', (event) => {
  const row = dragged && event.target.closest?.('[data-row]');
  if (!row) return;
  event.preventDefault();
  unmark();
  row.classList.add(below(row, event) ? 'drop-below' : 'drop-here');
});
document.addEventListener('drop', (event) => {
  const row = dragged && event.target.closest?.('[data-row]');
  if (!row) return;
  event.preventDefault();
  const ids = chosen().includes(dragged) ? chosen() : [dragged];
  // the list shows the last drawn first: "above this row" means drawn after it, "below" before it
  const rows = [...document.querySelectorAll('[data-row]')].map((other) => other.dataset.row).filter((id) => !ids.includes(id) || id === row.dataset.row);
  const above = rows[rows.indexOf(row.dataset.row) - 1] ?? '';
  if (!ids.includes(row.dataset.row)) edit('order-many', {layers: ids.join(' '), before: below(row, event) ? row.dataset.row : above});
  dragged = '';
});
document.addEventListener('dragend', () => { dragged = ''; unmark(); });
document.addEventListener('keydown', (event) => {
  const row = event.target.closest?.('[data-row]');
  if (!row || !event.altKey || !['ArrowUp', 'ArrowDown'].includes(event.key)) return;
  event.preventDefault();
  const {id} = event.target, ids = chosen().includes(row.dataset.row) ? chosen() : [row.dataset.row];
  edit('step-many', {layers: ids.join(' '), by: event.key === 'ArrowUp' ? '1' : '-1'}).then(() => document.getElementById(id)?.focus());
});

document.addEventListener('htmx:oobAfterSwap', (event) => {
  if (event.detail.target?.id !== 'again') return;
  queueMicrotask(() => { const dialog = document.getElementById('again'); if (dialog.matches('[data-open-now]')) dialog.showModal(); });
});
document.addEventListener('click', (event) => { if (event.target.closest?.('[data-close-dialog]')) event.target.closest('dialog').close(); });
