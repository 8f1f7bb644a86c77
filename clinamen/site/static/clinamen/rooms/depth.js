// The room Depth: the turntable, the ground in the view, several layers at once.
import '../parts/groundmarks.js';
import '../parts/tilts.js';
import '../parts/turntable.js';
import {look} from '../lib/queue.js';

document.addEventListener('change', (event) => {
  const {id, checked, value, dataset} = event.target;
  if (id === 'stops') look({stops: checked ? 1 : 0});
  else if (dataset && 'setLensKeeps' in dataset) look({lens_keeps: value});
});
document.addEventListener('click', (event) => {
  const button = event.target.closest?.('[data-set-beside]');
  if (button) look({beside: button.dataset.setBeside});
});
