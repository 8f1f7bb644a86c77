// What others do: a line of server-sent events. A change that another window made is asked for in its turn, when the hand rests and
// nothing typed waits to be sent; less often where answers take long, and not while nobody looks. Who else is there is shown in the bar.
import {catchUp, choice, root, scene} from '../lib/queue.js';

const AGAIN = 4000, REST = 120, MOST_REST = 2000, TOLD = 6000;  // ms
const USUAL = 250;  // ms that an answer takes where there is no crowd, with what the page needs to show it
let rest = REST;  // how long word of a change rests
/** The newest revision that was told of, and what was said of it. @type {{revision: number, by: string, says: string} | null} */
let newest = null;
let timer = 0, hand = false, toldAt = 0;
for (const [name, down] of /** @type {[string, boolean][]} */ ([['pointerdown', true], ['pointerup', false], ['pointercancel', false]])) {
  document.addEventListener(name, () => { hand = down; }, true);
}
/** Something is under the hand, or typed and not sent yet. */
function busy() {
  const at = document.activeElement;
  const field = at instanceof HTMLInputElement && !['range', 'checkbox', 'radio'].includes(at.type) && at.value !== at.defaultValue;
  return hand || field || at instanceof HTMLTextAreaElement || !!document.querySelector('dialog[open]');
}
const behind = () => newest !== null && newest.revision !== Number(choice().base);
async function follow() {
  if (!behind()) return;
  if (document.hidden) return;
  if (busy()) { timer = setTimeout(follow, REST); return; }
  const told = newest;
  let seen = false;
  const took = await catchUp(() => { seen = behind(); return seen; });
  if (seen && took) rest = Math.min(MOST_REST, REST + Math.max(0, took - USUAL));
  if (behind()) timer = setTimeout(follow, rest);  // the hand came between
  else if (seen && told?.by) say(`${told.by}: ${told.says}`);
}
document.addEventListener('visibilitychange', () => { if (!document.hidden) follow(); });
function say(sentence) {
  const heard = document.getElementById('heard');
  heard.textContent = sentence;
  heard.title = sentence;
  clearTimeout(toldAt);
  toldAt = setTimeout(() => { heard.textContent = ''; }, TOLD);
}
let asking = 0;
/** Who is there, asked for once where several come and go. */
function present() {
  clearTimeout(asking);
  asking = setTimeout(showPresent, REST);
}
async function showPresent() {
  const answer = await fetch(`/scenes/${scene}/present/?page=${choice().page}`);
  if (answer.ok) document.getElementById('present').innerHTML = await answer.text();
}
function listen() {
  const {page, room, chosen} = choice();
  const line = new EventSource(`/scenes/${scene}/line/?${new URLSearchParams({page, room, layer: chosen})}`);
  let before = false;
  line.addEventListener('open', () => {
    present();
    root.dataset.live = 'heard';
    if (before) catchUp(() => true);  // something may have been missed
    before = true;
  });
  line.addEventListener('changed', (event) => {
    newest = JSON.parse(event.data);
    clearTimeout(timer);
    timer = setTimeout(follow, rest);  // one's own change is heard too, often before its answer has come
  });
  line.addEventListener('present', present);
  line.addEventListener('comments', () => document.dispatchEvent(new Event('comments-changed')));
  line.addEventListener('again', () => catchUp(() => true));
  line.addEventListener('error', () => {
    root.dataset.live = 'away';
    if (line.readyState === EventSource.CLOSED) setTimeout(listen, AGAIN);
  });
  window.addEventListener('pagehide', () => line.close(), {once: true});
}
if ('live' in root.dataset) listen();
