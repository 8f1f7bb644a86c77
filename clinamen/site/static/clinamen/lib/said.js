// A sentence in the line at the bottom, where the server's own sentences stand too.
/** @param {string} sentence */
export function say(sentence) {
  const line = document.createElement('div');
  line.className = 'toast-line';
  line.append(Object.assign(document.createElement('span'), {textContent: sentence}));
  document.getElementById('toast').replaceChildren(line);
}
