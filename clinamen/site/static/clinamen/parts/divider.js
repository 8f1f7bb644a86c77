// The border between view and drawing: dragged, or moved by the arrow keys; where it stands is remembered.
const divider = document.getElementById('divider'), middle = document.querySelector('.middle');
const KEY = 'divider', LEAST = 0.2, MOST = 0.8;

function place(share) {
  const kept = Math.min(MOST, Math.max(LEAST, share));
  middle.style.setProperty('--view-share', `${kept}fr`);
  middle.style.setProperty('--drawing-share', `${1 - kept}fr`);
  divider.setAttribute('aria-valuenow', Math.round(kept * 100));
  return kept;
}
function keep(share) {
  localStorage.setItem(KEY, String(place(share)));
  dispatchEvent(new Event('resize'));
}
if (divider) {
  const remembered = +localStorage.getItem(KEY);
  if (remembered) place(remembered);
  // What view and drawing share is the middle without what stands between them, so that the border stays under the hand.
  const share = (event) => {
    const [view, border, drawing] = ['.surround', '#divider', '#drawing'].map((each) => middle.querySelector(each).getBoundingClientRect());
    const between = border.top + border.height / 2 - view.bottom;
    return (event.clientY - between - view.top) / (view.height + drawing.height);
  };
  divider.addEventListener('pointerdown', (event) => { divider.setPointerCapture(event.pointerId); event.preventDefault(); });
  divider.addEventListener('pointermove', (event) => { if (divider.hasPointerCapture(event.pointerId)) keep(share(event)); });
  divider.addEventListener('dblclick', () => {
    localStorage.removeItem(KEY);
    for (const name of ['--view-share', '--drawing-share']) middle.style.removeProperty(name);
    dispatchEvent(new Event('resize'));
  });
  divider.addEventListener('keydown', (event) => {
    const way = {ArrowUp: -0.03, ArrowDown: 0.03}[event.key];
    if (!way) return;
    event.preventDefault();
    event.stopPropagation();
    keep(+divider.getAttribute('aria-valuenow') / 100 + way);
  });
}
