// Marks on the view that are dragged, or moved by the arrow keys: what each asks for is shown at once and kept when the hand lets go.
import {edit, preview, settled} from '../lib/queue.js';
import {frame} from './view.js';

/**
 * @typedef {object} Kind
 * @property {string} selector which elements are marks
 * @property {(mark: any, x: number, y: number) => [string, Record<string, unknown>]} asks the edit for a place of the view
 * @property {(mark: any) => [number, number]} at where a mark is, in view px
 * @property {(mark: any, x: number, y: number) => string} [follows] its transform under the hand, page px
 * @property {[number, number]} steps view px of an arrow key, plain and with Shift
 * @property {() => void} draw draws the marks anew
 */
/** @param {any} marks @param {Kind} kind @returns {() => boolean} whether a hand holds one */
export function draggable(marks, {selector, asks, at, follows = (_, x, y) => `translate(${x} ${y})`, steps, draw}) {
  /** @type {{mark: any, request: [string, Record<string, unknown>] | null} | null} */
  let held = null;
  marks.addEventListener('pointerdown', (event) => {
    const mark = event.target.closest(selector);
    if (!mark || event.button) return;
    event.preventDefault();
    mark.focus({preventScroll: true});
    marks.setPointerCapture(event.pointerId);
    held = {mark, request: null};
  });
  marks.addEventListener('pointermove', (event) => {
    if (!held) return;
    const {left, top, scale, host} = frame(), x = event.clientX - host.left, y = event.clientY - host.top;
    held.mark.setAttribute('transform', follows(held.mark, x, y));
    held.request = asks(held.mark, (x - left) / scale, (y - top) / scale);
    preview(...held.request);
  });
  marks.addEventListener('pointerup', async () => {
    const done = held?.request;
    if (done) { await settled(); await edit(...done); }
    held = null;
    draw();
  });
  marks.addEventListener('keydown', (event) => {
    const mark = event.target.closest(selector), by = steps[event.shiftKey ? 1 : 0];
    const way = {ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by]}[event.key];
    if (!mark || !way) return;
    event.preventDefault();
    const values = () => {
      const now = document.getElementById(mark.id) ?? mark, [x, y] = at(now);
      return asks(now, x + way[0], y + way[1]);
    };
    edit(values()[0], () => values()[1]);
  });
  addEventListener('resize', draw);
  document.addEventListener('staged', draw);
  return () => held !== null;
}
