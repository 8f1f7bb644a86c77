// Keys and presses that every room has.
import {look, lookAt, scene, send} from './queue.js';
import {goThere, play, setPart, toRest} from '../parts/drivers.js';
import {among, choose, nudge, toggle} from '../parts/sheets.js';
import {stage} from '../parts/view.js';

document.addEventListener('click', (event) => {
  const target = event.target.closest?.('[data-choose],[data-go],[data-set-axis],[data-set-fan],[data-set-speed],[data-set-drawn],[data-keys]');
  if (!target) return;
  const data = target.dataset;
  if (data.choose && among(event)) toggle(data.choose);
  else if (data.choose) choose(data.choose);
  else if (data.go) goThere(+data.go);
  else if (data.setAxis) look({axis: data.setAxis, ...'drawn' in data ? {drawn: data.drawn} : {}});
  else if (data.setFan) look({fan_driver: data.setFan, knots: ''});
  else if (data.setDrawn) look({drawn: data.setDrawn});
  else if ('setSpeed' in data) look({fan_speed: data.setSpeed});
  else if ('keys' in data) document.getElementById('keys').showModal();
});
document.addEventListener('change', (event) => { if ('setHold' in (event.target.dataset ?? {})) look({hold: event.target.value}); });
// Enter in the title saves it as leaving the field does; the form itself goes nowhere.
document.addEventListener('submit', (event) => { if (event.target.matches('.title-form')) event.preventDefault(); });

const ARROWS = ['ArrowLeft', 'ArrowRight', 'ArrowUp', 'ArrowDown'];
document.addEventListener('keydown', (event) => {
  const typing = event.target.matches?.('input:not([type=range]), select, textarea');
  const thing = event.target.closest?.('.sheet, .rung');
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z' && !typing) {
    event.preventDefault();
    send('POST', `/scenes/${scene}/history/${event.shiftKey ? 'redo' : 'undo'}/`, {});
  } else if (thing && ARROWS.includes(event.key)) {
    event.preventDefault();
    nudge(thing, event);
  } else if (thing && event.key === 'Enter') (among(event) ? toggle : choose)(thing.dataset.layerId);
  else if (event.target.closest?.('.layer-card') && ['ArrowUp', 'ArrowDown'].includes(event.key)) {
    event.preventDefault();
    const cards = [...document.querySelectorAll('.layer-card')];
    const card = cards[cards.indexOf(event.target.closest('.layer-card')) + (event.key === 'ArrowDown' ? 1 : -1)];
    if (card) { const {id} = card; card.focus(); lookAt(card.dataset.choose).then(() => document.getElementById(id)?.focus()); }
  } else if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
  else if (event.key === '?') document.getElementById('keys').showModal();
  else if (event.key === ' ' && !event.target.closest('button, a, summary')) { event.preventDefault(); if (stage.drivers.time) play(); }
  else if (event.key === '0') toRest();
  else if (event.key === 'i' || event.key === 'o') { if (stage.drivers.time) setPart(event.key === 'i' ? 'in' : 'out'); }
  else if (/^[1-9]$/.test(event.key)) document.querySelectorAll('.rooms a')[+event.key - 1]?.click();
});
