// Fields with numbers: sent when they change, nudged by the arrow keys; how far a nudge goes comes with the field.
import {choice, edit} from './queue.js';

export function sendField(field, nudge = '') {
  const {edit: name, driver, channel, target, group} = field.dataset;
  const values = {[field.name]: field.value, layer: choice().chosen, nudge};
  for (const [key, value] of Object.entries({driver, channel, target, group})) if (value) values[key] = value;
  return edit(name, values);
}
document.addEventListener('change', (event) => {
  const field = event.target, data = field.dataset ?? {};
  if (data.edit) sendField(field);
  if (data.driverSwitch) edit('driver', {driver: data.driverSwitch, on: field.checked ? 1 : 0});
});
// Arrow keys nudge a number where it stands; its unit stays.
document.addEventListener('keydown', (event) => {
  const field = event.target;
  if (!field.matches?.('.num') || !['ArrowUp', 'ArrowDown'].includes(event.key)) return;
  const match = field.value.replace('−', '-').replace(/[\u202f ](?=\d)/g, '').match(/^(-?[\d.,]+)(.*)$/);
  if (!match) return;
  event.preventDefault();
  const step = +field.dataset.step * (event.shiftKey ? 10 : 1) * (event.key === 'ArrowUp' ? 1 : -1);
  field.value = `${+(+match[1].replace(',', '.') + step).toFixed(4)}${match[2]}`;
  clearTimeout(field.later);
  field.later = setTimeout(() => {
    const now = document.getElementById(field.id);
    if (now.dataset.edit) sendField(now, '1');
    else now.dispatchEvent(new Event('change', {bubbles: true}));
  }, 180);
});
