// Fields with numbers: sent when they change, nudged by the arrow keys; how far a nudge goes comes with the field.
import {choice, edit} from './queue.js';

export function sendField(field, nudge = '', layer = choice().chosen) {
  const {edit: name, driver, channel, target, group} = field.dataset;
  const values = {[field.name]: field.value, layer, nudge};
  for (const [key, value] of Object.entries({driver, channel, target, group})) if (value) values[key] = value;
  return edit(name, values);
}
document.addEventListener('change', (event) => {
  const field = event.target, data = field.dataset ?? {};
  if (data.edit) sendField(field);
  if (data.driverSwitch) edit('driver', {driver: data.driverSwitch, on: field.checked ? 1 : 0});
});
/** What arrow keys made of a number, by its field's id, until that is answered: the answer to an earlier press brings an older
    one. @type {Map<string, {text: string, layer: string, later: number}>} */
const nudged = new Map();
document.addEventListener('input', (event) => { clearTimeout(nudged.get(event.target.id)?.later); nudged.delete(event.target.id); });
// Arrow keys nudge a number where it stands; what stands before it and its unit stay.
document.addEventListener('keydown', (event) => {
  const field = event.target;
  if (!field.matches?.('.num') || !['ArrowUp', 'ArrowDown'].includes(event.key)) return;
  const layer = choice().chosen, before = nudged.get(field.id), known = before?.layer === layer ? before : undefined;
  const match = (known?.text ?? field.value).replace('−', '-').replace(/[\u202f ](?=\d)/g, '').match(/^([^\d.,-]*)(-?[\d.,]+)(.*)$/);
  if (!match) return;
  event.preventDefault();
  const step = +field.dataset.step * (event.shiftKey ? 10 : 1) * (event.key === 'ArrowUp' ? 1 : -1);
  const mine = {text: `${match[1]}${+(+match[2].replace(',', '.') + step).toFixed(4)}${match[3]}`, layer, later: 0};
  field.value = mine.text;
  clearTimeout(known?.later);
  mine.later = setTimeout(async () => {
    const now = layer === choice().chosen ? document.getElementById(field.id) ?? field : field;
    now.value = mine.text;
    try {
      if (now.dataset.edit) await sendField(now, '1', layer);
      else now.dispatchEvent(new Event('change', {bubbles: true}));
    } finally { if (nudged.get(field.id) === mine) nudged.delete(field.id); }
  }, 180);
  nudged.set(field.id, mine);
});
