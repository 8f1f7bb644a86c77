// The workspace: puts its parts together. Everything that is computed comes finished from the server.
import './lib/fixes.js';
import './lib/keys.js';
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
const room = {art: './rooms/art.js', prepare: './rooms/prepare.js', depth: './rooms/depth.js', motion: './rooms/motion.js', look: './rooms/look.js', export: './rooms/export.js'}[root.dataset.room];
if (room) import(room);
if (root.dataset.room === 'proof' && stage.findings.length) goThere(0);
if ('unproved' in root.dataset) verdict();
