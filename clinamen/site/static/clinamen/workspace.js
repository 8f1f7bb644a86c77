// The workspace: puts its parts together. Everything that is computed comes finished from the server.
import './lib/fixes.js';
import './lib/keys.js';
import './lib/leaving.js';
import './lib/numbers.js';
import './lib/polls.js';
import './lib/slow.js';
import './lib/unsaved.js';
import './parts/comments.js';
import './parts/divider.js';
import './parts/drawing.js';
import './parts/live.js';
import {root, verdict} from './lib/queue.js';
import {goThere} from './parts/drivers.js';
import {stage, takeStage} from './parts/view.js';

takeStage();
if (root.dataset.room === 'proof' && stage.findings.length) goThere(0);
if ('unproved' in root.dataset) verdict();

// What is pressed before the scripts are there would do nothing and say nothing, so it cannot be pressed: on a busy machine that
// is seconds. The room's own script comes after this one, and before the document counts as read.
document.addEventListener('DOMContentLoaded', () => {
  for (const part of document.querySelectorAll('[data-until-ready]')) part.toggleAttribute('inert', false);
});
