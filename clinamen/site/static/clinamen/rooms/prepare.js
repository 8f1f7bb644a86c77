// The light table's hands: draws the art before and after the chosen step, and sends what is drawn on it. What a step
// does is worked out by the server; here are only places on the picture.
import {svgPoint} from '../lib/places.js';
import {choice, edit, look, scene, send} from '../lib/queue.js';

const svg = document.getElementById('table-view'), pictures = document.getElementById('table-pictures');
const marks = document.getElementById('table-marks'), hint = document.getElementById('table-hint');
const brush = document.getElementById('brush'), brushSize = document.getElementById('brush-size');
const NEAR = 9;  // px on the screen: how close a press counts as on a point
const HANDS = {
  outline: [['points', 'Move points', 'Drag points and handles; press the line to add one, Delete takes one out, a double press or c makes a corner or a curve, Alt and arrows bend it'], ['draw', 'Draw anew', 'Press to set points, drag to bend; press the first point or Enter to close, Ctrl Z takes the last one back, Escape gives up']],
  box: [['box', 'Box', 'Drag the box or its corners, or draw a new one']],
  crop: [['box', 'Box', 'Drag the box or its corners, or draw a new one']],
  assisted: [['box', 'Box', 'Draw the box around the subject'], ['belongs', 'Belongs', 'Paint over what belongs to the subject, or dab with Enter where the arrow keys moved the cross'], ['not', 'Does not', 'Paint over what does not belong, or dab with Enter where the arrow keys moved the cross']],
  pick: [['pick', 'Pick', 'Press on the colour that is to go, or move the cross by the arrow keys and press Enter']],
  retouch: [['heal', 'Heal', 'Paint over what is wrong, or dab with Enter where the arrow keys moved the cross'], ['clone', 'Clone', 'Press with Alt where to copy from, then paint; by keys, Alt Enter and Enter at the cross']],
};
let data = {}, hand = '', show = 'both', box = null, zoomed = false;
let nodes = [], chosenNode = -1, drawing = null, source = null;
/** The hand's place when it is led by the arrow keys. @type {{x: number, y: number} | null} */
let cross = null;
const BRUSHES = ['belongs', 'not', 'heal', 'clone'], CROSSED = [...BRUSHES, 'pick', 'draw'];

// --- what is shown ----------------------------------------------------------------------------------------------------
const make = (name, attributes, parent = marks) => {
  const element = document.createElementNS('http://www.w3.org/2000/svg', name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  parent.append(element);
  return element;
};
const showsAfter = () => !data.keeps_frame && data.tool !== 'crop' && show !== 'before';
const size = () => (showsAfter() ? data.after_size : data.size);
const pixel = () => box.w / (svg.clientWidth || 1);  // picture px in a screen px

function takeTable() {
  const before = data.layer, index = data.index, kind = data.step?.step;
  data = JSON.parse(document.getElementById('table-data').textContent);
  if (!data.layer) { pictures.replaceChildren(); marks.replaceChildren(); hint.textContent = 'Bring pictures in first, in the room Art.'; return; }
  const another = before !== data.layer || index !== data.index || kind !== data.step?.step;
  if (another) {
    hand = HANDS[data.tool]?.[0][0] ?? '';
    drawing = source = cross = null;
    chosenNode = -1;
  }
  if (before !== data.layer) brushFor();
  if (before !== data.layer || !box) fit(); else if (!zoomed) fit();
  if (another || !unsaved) mine = {};
  else Object.assign(data.step, mine);
  if (another || !unsaved) nodes = (data.step?.nodes ?? []).map((node) => ({...node}));
  showHands();
  draw();
}
// What the hand has set stays as it stands until the last of its edits is answered: an answer to an earlier one would take it back.
let unsaved = 0, later = 0, mine = {};
const here = () => ({layer: data.layer, index: data.index});
const keep = (where, values) => edit('step-set', {...where, data: JSON.stringify(values)}).then(kept, kept);
function kept() {
  unsaved -= 1;
  if (unsaved) return;
  if (drawing?.box && !held) drawing = null;
  takeTable();
}
function set(values) {
  unsaved += 1;
  mine = {...mine, ...values};
  Object.assign(data.step, values);
  keep(here(), values);
}
// Quick presses of keys are one edit.
function soon(values) {
  const where = here();
  if (later) clearTimeout(later);
  else unsaved += 1;
  later = setTimeout(() => { later = 0; keep(where, values); }, 200);
}
// A box that keys have moved and that was not sent yet.
function dropBox() {
  if (!later || !drawing?.box) return;
  clearTimeout(later);
  later = 0;
  unsaved -= 1;
}
// The brush is as large on the picture as it says; a usual one for a picture of this size.
function brushFor() {
  const longest = Math.max(...data.size);
  brushSize.max = String(Math.max(8, Math.round(longest / 4)));
  brushSize.value = String(Math.max(2, Math.round(longest / 40)));
  document.getElementById('brush-value').textContent = brushSize.value;
}
function showHands() {
  const list = HANDS[data.tool] ?? [];
  const holder = document.getElementById('table-hands');
  holder.replaceChildren(...list.map(([id, name]) => {
    const button = Object.assign(document.createElement('button'), {type: 'button', textContent: name});
    button.dataset.hand = id;
    button.setAttribute('aria-pressed', id === hand);
    return button;
  }));
  brush.hidden = !BRUSHES.includes(hand);
  hint.textContent = list.find(([id]) => id === hand)?.[2] ?? '';
}
let drawn = '';
function draw() {
  const [width, height] = size();
  svg.setAttribute('viewBox', `${box.x} ${box.y} ${box.w} ${box.h}`);
  const longest = Math.max(width, height) / pixel() > 2000 ? 'longest=4096' : '';
  const list = [];
  if (showsAfter()) list.push([data.after, ...data.after_size, 1]);
  else {
    if (show !== 'after' || !data.keeps_frame) list.push([data.before, ...data.size, show === 'both' && data.keeps_frame && data.index !== null ? 0.3 : 1]);
    if (show !== 'before' && data.keeps_frame && data.index !== null) list.push([data.after, ...data.size, 1]);
    if (data.band && show === 'both') list.push([data.band, ...data.size, 1]);
  }
  const key = JSON.stringify([list, longest]);
  if (key !== drawn) {
    drawn = key;
    pictures.replaceChildren();
    make('rect', {class: 'sheet-ground', width, height}, pictures);
    for (const [href, w, h, opacity] of list) make('image', {href: href === data.band || !longest ? href : `${href}${href.includes('?') ? '&' : '?'}${longest}`, width: w, height: h, opacity, preserveAspectRatio: 'none'}, pictures);
  }
  drawMarks();
}
function drawMarks() {
  const focus = document.activeElement?.dataset?.place;
  marks.replaceChildren();
  if (!data.step || showsAfter()) return;
  if (data.tool === 'outline') drawOutline();
  if (['box', 'crop', 'assisted'].includes(data.tool)) drawBox();
  if (data.tool === 'assisted') data.step.marks.forEach((mark) => drawStroke(mark, mark.belongs ? 'belongs' : 'not'));
  if (data.tool === 'retouch') data.step.strokes.forEach((stroke) => drawStroke(stroke, 'done'));
  if (drawing?.points) drawStroke(drawing, drawing.look);
  if (cross) {
    if (BRUSHES.includes(hand)) make('circle', {class: 'cross', cx: cross.x, cy: cross.y, r: +brushSize.value / 2});
    make('path', {class: 'cross', d: `M${cross.x - 12 * pixel()} ${cross.y}h${24 * pixel()}M${cross.x} ${cross.y - 12 * pixel()}v${24 * pixel()}`});
  }
  if (source) make('path', {class: 'source', d: `M${source.x - 8 * pixel()} ${source.y}h${16 * pixel()}M${source.x} ${source.y - 8 * pixel()}v${16 * pixel()}`});
  if (focus) marks.querySelector(`[data-place="${focus}"]`)?.focus({preventScroll: true});
}
const segment = (a, b) => `C${a.x + (a.out_x || 0)} ${a.y + (a.out_y || 0)} ${b.x + (b.in_x || 0)} ${b.y + (b.in_y || 0)} ${b.x} ${b.y}`;
function drawOutline() {
  const list = drawing?.nodes ?? nodes;
  if (!list.length) return;
  let d = `M${list[0].x} ${list[0].y}`;
  for (let i = 1; i < list.length; i++) d += segment(list[i - 1], list[i]);
  if (!drawing) d += `${segment(list.at(-1), list[0])}Z`;
  make('path', {class: 'outline under', d});
  make('path', {class: 'outline', d});
  list.forEach((node, index) => {
    if (index === chosenNode || drawing) for (const way of ['in', 'out']) {
      const x = node.x + (node[`${way}_x`] || 0), y = node.y + (node[`${way}_y`] || 0);
      if (x === node.x && y === node.y) continue;
      make('line', {class: 'handle-line', x1: node.x, y1: node.y, x2: x, y2: y});
      make('circle', {class: 'handle', cx: x, cy: y, r: 4 * pixel(), 'data-handle': `${index}:${way}`});
    }
    make('rect', {class: `node ${index === chosenNode ? 'chosen' : ''}`, x: node.x - 4 * pixel(), y: node.y - 4 * pixel(), width: 8 * pixel(), height: 8 * pixel(), tabindex: 0, role: 'button', 'aria-label': `Point ${index + 1} of ${list.length}`, 'data-node': index, 'data-place': `node-${index}`});
  });
}
const stepBox = () => data.step.box ?? data.step;
function drawBox() {
  const b = drawing?.box ?? stepBox();
  make('rect', {class: 'box under', x: b.x, y: b.y, width: b.width, height: b.height, rx: data.step.radius || 0});
  make('rect', {class: 'box', x: b.x, y: b.y, width: b.width, height: b.height, rx: data.step.radius || 0, tabindex: 0, role: 'button', 'aria-label': 'Box: arrow keys move it, with Alt they size it', 'data-place': 'box'});
  for (const [sx, sy] of [[0, 0], [1, 0], [1, 1], [0, 1]]) make('rect', {class: 'node', x: b.x + sx * b.width - 4 * pixel(), y: b.y + sy * b.height - 4 * pixel(), width: 8 * pixel(), height: 8 * pixel()});
}
function drawStroke(stroke, look) {
  const points = stroke.points.map((point) => `${point.x},${point.y}`).join(' ');
  if (stroke.points.length === 1) make('circle', {class: `mark ${look}`, cx: stroke.points[0].x, cy: stroke.points[0].y, r: stroke.radius});
  else make('polyline', {class: `mark line ${look}`, points, 'stroke-width': 2 * stroke.radius});
}

// --- zoom and pan -----------------------------------------------------------------------------------------------------
function fit() {
  const [width, height] = size();
  const share = Math.max(width / (svg.clientWidth - 24), height / (svg.clientHeight - 24));
  const w = svg.clientWidth * share, h = svg.clientHeight * share;
  box = {x: (width - w) / 2, y: (height - h) / 2, w, h};
  zoomed = false;
}
function zoom(factor, at) {
  at ??= {x: box.x + box.w / 2, y: box.y + box.h / 2};
  const most = 8 * Math.max(...size());
  const w = Math.min(most, Math.max(24, box.w / factor)), real = box.w / w;
  box = {x: at.x - (at.x - box.x) / real, y: at.y - (at.y - box.y) / real, w, h: box.h / real};
  zoomed = true;
  draw();
}
const place = (event) => {
  const point = svgPoint(svg, event);
  return {x: point.x, y: point.y};
};
svg.addEventListener('wheel', (event) => { event.preventDefault(); zoom(Math.exp(-event.deltaY / 400), place(event)); }, {passive: false});
document.querySelectorAll('[data-zoom]').forEach((button) => button.addEventListener('click', () => {
  if (button.dataset.zoom === 'fit') { fit(); draw(); } else zoom(button.dataset.zoom === 'in' ? 1.5 : 1 / 1.5);
}));
addEventListener('resize', () => { if (data.layer) { fit(); draw(); } });

// --- the hand ---------------------------------------------------------------------------------------------------------
let held = null, space = false;
const whole = (value) => Math.round(value * 10) / 10;
const near = (a, b) => Math.hypot(a.x - b.x, a.y - b.y) < NEAR * pixel();
svg.addEventListener('pointerdown', (event) => {
  if (!data.layer || event.button > 1) return;
  svg.setPointerCapture(event.pointerId);
  const at = place(event);
  cross = null;
  if (space || event.button === 1) held = {pan: [event.clientX, event.clientY, box.x, box.y]};
  else if (showsAfter() || !data.step) held = {pan: [event.clientX, event.clientY, box.x, box.y]};
  else if (data.tool === 'outline') held = hand === 'draw' ? pressDraw(at) : pressPoints(at);
  else if (hand === 'box') held = pressBox(at);
  else if (hand === 'pick') send('POST', `/scenes/${scene}/pick/`, {layer: data.layer, index: data.index, x: at.x, y: at.y});
  else if (BRUSHES.includes(hand)) held = pressBrush(at, event);
  event.preventDefault();
  svg.focus({preventScroll: true});
});
svg.addEventListener('pointermove', (event) => {
  if (!held) return;
  const at = place(event);
  if (held.pan) {
    box.x = held.pan[2] - (event.clientX - held.pan[0]) * pixel();
    box.y = held.pan[3] - (event.clientY - held.pan[1]) * pixel();
    zoomed = true;
    draw();
  } else held.move?.(at, event);
});
svg.addEventListener('pointerup', (event) => { const done = held; held = null; done?.up?.(place(event), event); });
svg.addEventListener('pointercancel', () => { held = null; drawing = null; takeTable(); });

// A browser tells of no double press where what was pressed first has been drawn anew since.
const TWICE = 400;  // ms
const SHAKE = 2;  // px on the screen that a press may shake without being a drag
let pressed = {index: -1, at: 0};
const setNodes = () => set({nodes});
function pressPoints(at) {
  for (const way of chosenNode >= 0 ? ['in', 'out'] : []) {
    const node = nodes[chosenNode], end = {x: node.x + node[`${way}_x`], y: node.y + node[`${way}_y`]};
    if ((node[`${way}_x`] || node[`${way}_y`]) && near(at, end)) return {
      move: (now, event) => {
        const other = way === 'in' ? 'out' : 'in';
        [node[`${way}_x`], node[`${way}_y`]] = [whole(now.x - node.x), whole(now.y - node.y)];
        if (!event.altKey) [node[`${other}_x`], node[`${other}_y`]] = [-node[`${way}_x`], -node[`${way}_y`]];
        drawMarks();
      }, up: setNodes,
    };
  }
  let index = nodes.findIndex((node) => near(at, node));
  if (index < 0) {
    index = split(at);
    if (index < 0) { chosenNode = -1; drawMarks(); return {pan: [0, 0, box.x, box.y], move: null}; }
    chosenNode = index;
    drawMarks();
    return {moved: true, move: dragNode(index), up: setNodes};
  }
  chosenNode = index;
  drawMarks();
  const state = {moved: false}, again = pressed.index === index && performance.now() - pressed.at < TWICE;
  pressed = {index, at: performance.now()};
  const drag = dragNode(index);
  const away = (now) => Math.hypot(now.x - at.x, now.y - at.y) > SHAKE * pixel();
  return {move: (now) => { if (state.moved ||= away(now)) drag(now); }, up: () => { if (state.moved) setNodes(); else if (again) turnRound(index); }};
}
const dragNode = (index) => (now) => { Object.assign(nodes[index], {x: whole(now.x), y: whole(now.y)}); drawMarks(); };
// A press on the line sets a point there: the segment is divided where it passes closest (de Casteljau).
function split(at) {
  /** Distance, index of the node before, and the points of the divided segment. @type {any[]} */
  let best = [Infinity];
  nodes.forEach((a, index) => {
    const b = nodes[(index + 1) % nodes.length];
    const p = [a, {x: a.x + a.out_x, y: a.y + a.out_y}, {x: b.x + b.in_x, y: b.y + b.in_y}, b];
    for (let t = 0.02; t < 1; t += 0.02) {
      const mix = (u, v) => ({x: u.x + (v.x - u.x) * t, y: u.y + (v.y - u.y) * t});
      const [q, r, s] = [mix(p[0], p[1]), mix(p[1], p[2]), mix(p[2], p[3])], [u, v] = [mix(q, r), mix(r, s)], w = mix(u, v);
      const away = Math.hypot(w.x - at.x, w.y - at.y);
      if (away < best[0]) best = [away, index, q, u, w, v, s];
    }
  });
  const [away, index, q, u, w, v, s] = best;
  if (away > NEAR * pixel()) return -1;
  const a = nodes[index], b = nodes[(index + 1) % nodes.length], straight = !a.out_x && !a.out_y && !b.in_x && !b.in_y;
  const fresh = {x: whole(w.x), y: whole(w.y), in_x: 0, in_y: 0, out_x: 0, out_y: 0};
  if (!straight) {
    Object.assign(a, {out_x: whole(q.x - a.x), out_y: whole(q.y - a.y)});
    Object.assign(b, {in_x: whole(s.x - b.x), in_y: whole(s.y - b.y)});
    Object.assign(fresh, {in_x: whole(u.x - w.x), in_y: whole(u.y - w.y), out_x: whole(v.x - w.x), out_y: whole(v.y - w.y)});
  }
  nodes.splice(index + 1, 0, fresh);
  return index + 1;
}
function pressDraw(at) {
  drawing ??= {nodes: []};
  if (drawing.nodes.length > 2 && near(at, drawing.nodes[0])) { closeOutline(); return null; }
  const node = {x: whole(at.x), y: whole(at.y), in_x: 0, in_y: 0, out_x: 0, out_y: 0};
  drawing.nodes.push(node);
  drawMarks();
  return {move: (now) => {
    if (near(now, node)) return;
    Object.assign(node, {out_x: whole(now.x - node.x), out_y: whole(now.y - node.y), in_x: whole(node.x - now.x), in_y: whole(node.y - now.y)});
    drawMarks();
  }};
}
function closeOutline() {
  if ((drawing?.nodes.length ?? 0) < 3) return;
  nodes = drawing.nodes;
  drawing = null;
  hand = 'points';
  showHands();
  setNodes();
}
function pressBox(at) {
  const b = pick(drawing?.box ?? stepBox());
  const corner = [[0, 0], [1, 0], [1, 1], [0, 1]].find(([sx, sy]) => near(at, {x: b.x + sx * b.width, y: b.y + sy * b.height}));
  const inside = at.x > b.x && at.x < b.x + b.width && at.y > b.y && at.y < b.y + b.height;
  const fixed = corner ? {x: b.x + (1 - corner[0]) * b.width, y: b.y + (1 - corner[1]) * b.height} : at;
  let moved = false;
  const full = inside && b.width * b.height > 0.98 * data.size[0] * data.size[1];
  return {
    move: (now) => {
      moved = true;
      if (inside && !corner && !full) drawing = {box: {...b, x: Math.round(b.x + now.x - at.x), y: Math.round(b.y + now.y - at.y)}};
      else drawing = {box: {x: Math.round(Math.min(fixed.x, now.x)), y: Math.round(Math.min(fixed.y, now.y)), width: Math.max(1, Math.round(Math.abs(now.x - fixed.x))), height: Math.max(1, Math.round(Math.abs(now.y - fixed.y)))}};
      drawMarks();
    },
    up: () => { if (moved) set(asStep(drawing.box)); },
  };
}
const pick = ({x, y, width, height}) => ({x, y, width, height});
const asStep = (b) => (data.step.box ? {box: b} : b);
function pressBrush(at, event) {
  if (hand === 'clone' && (event.altKey || !source)) { source = at; drawMarks(); hint.textContent = 'Now paint where it is to go'; return null; }
  const radius = Math.max(0.5, +brushSize.value / 2);
  drawing = {points: [{x: whole(at.x), y: whole(at.y)}], radius: whole(radius), look: hand};
  drawMarks();
  return {
    move: (now) => {
      const last = drawing.points.at(-1);
      if (Math.hypot(now.x - last.x, now.y - last.y) < Math.max(1, radius / 3)) return;
      drawing.points.push({x: whole(now.x), y: whole(now.y)});
      drawMarks();
    },
    up: () => {
      const {points, radius: r} = drawing;
      drawing = null;
      if (hand === 'belongs' || hand === 'not') edit('mark', {layer: data.layer, index: data.index, data: JSON.stringify({belongs: hand === 'belongs', radius: r, points})});
      else {
        const from = hand === 'clone' ? {from_x: whole(source.x - points[0].x), from_y: whole(source.y - points[0].y)} : {};
        setStrokes([...data.step.strokes, {kind: hand, radius: r, points, ...from}]);
      }
    },
  };
}
const setStrokes = (strokes) => set({strokes});

// --- keys -------------------------------------------------------------------------------------------------------------
const arrows = {ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1]};
svg.addEventListener('focusin', (event) => {
  const index = event.target.dataset?.node;
  if (index !== undefined && +index !== chosenNode) { chosenNode = +index; drawMarks(); }
});
// A corner becomes a curve along its neighbours, a curve a corner.
function turnRound(index) {
  const node = nodes[index], before = nodes.at(index - 1), after = nodes[(index + 1) % nodes.length];
  const bent = node.in_x || node.in_y || node.out_x || node.out_y;
  const [x, y] = bent ? [0, 0] : [whole((after.x - before.x) / 6), whole((after.y - before.y) / 6)];
  Object.assign(node, {in_x: -x, in_y: -y, out_x: x, out_y: y});
  drawMarks();
  setNodes();
}
// While points are being set, undo takes the last one back, and nothing else.
function takeBack(event) {
  if (!drawing?.nodes?.length) return;
  event.preventDefault();
  event.stopImmediatePropagation();
  drawing.nodes.pop();
  if (!drawing.nodes.length) drawing = null;
  drawMarks();
}
document.addEventListener('keydown', (event) => {
  const back = (event.ctrlKey || event.metaKey) && !event.shiftKey && event.key.toLowerCase() === 'z';
  if (back || (event.key === 'Backspace' && drawing?.nodes && svg.contains(document.activeElement))) takeBack(event);
}, true);
document.addEventListener('click', (event) => { if (event.target.closest?.('#undo')) takeBack(event); }, true);
// What a press at the cross does.
function pressAtCross(event) {
  const at = {x: whole(cross.x), y: whole(cross.y)};
  if (hand === 'pick') send('POST', `/scenes/${scene}/pick/`, {layer: data.layer, index: data.index, ...at});
  else if (hand === 'draw') pressDraw(at);
  else pressBrush(at, event)?.up?.();
}
svg.addEventListener('keydown', (event) => {
  if (event.ctrlKey || event.metaKey || !data.layer) return;
  const way = arrows[event.key], far = event.shiftKey ? 10 : 1;
  if (event.key === ' ') { space = true; event.preventDefault(); event.stopPropagation(); }
  else if (event.key === 'Enter' && cross) pressAtCross(event);
  else if (event.key === 'Enter' && drawing?.nodes) closeOutline();
  else if (event.key === 'Escape' && (drawing || cross)) { dropBox(); drawing = cross = null; drawMarks(); }
  else if (event.key === '+' || event.key === '=') zoom(1.5);
  else if (event.key === '-') zoom(1 / 1.5);
  else if (event.key === 'f') { fit(); draw(); }
  else if (['Delete', 'Backspace'].includes(event.key) && data.tool === 'outline' && chosenNode >= 0 && nodes.length > 3) {
    nodes.splice(chosenNode, 1);
    chosenNode = Math.min(chosenNode, nodes.length - 1);
    drawMarks();
    setNodes();
  } else if (event.key === 'c' && data.tool === 'outline' && chosenNode >= 0 && !drawing) turnRound(chosenNode);
  else if (way && CROSSED.includes(hand) && !showsAfter()) {
    cross ??= {x: box.x + box.w / 2, y: box.y + box.h / 2};
    cross.x += way[0] * far * 2 * pixel();
    cross.y += way[1] * far * 2 * pixel();
    drawMarks();
  } else if (way && event.altKey && data.tool === 'outline' && chosenNode >= 0) {
    const node = nodes[chosenNode];
    Object.assign(node, {out_x: whole(node.out_x + way[0] * far), out_y: whole(node.out_y + way[1] * far)});
    Object.assign(node, {in_x: -node.out_x, in_y: -node.out_y});
    drawMarks();
    soon({nodes});
  } else if (way && data.tool === 'outline' && chosenNode >= 0) {
    nodes[chosenNode].x += way[0] * far;
    nodes[chosenNode].y += way[1] * far;
    drawMarks();
    soon({nodes});
  } else if (way && hand === 'box') {
    const b = pick(drawing?.box ?? stepBox());
    if (event.altKey) { b.width = Math.max(1, b.width + way[0] * far); b.height = Math.max(1, b.height + way[1] * far); } else { b.x += way[0] * far; b.y += way[1] * far; }
    drawing = {box: b};
    drawMarks();
    soon(asStep(b));
  } else if (way) {
    box.x += way[0] * box.w / 12;
    box.y += way[1] * box.h / 12;
    zoomed = true;
    draw();
  } else return;
  event.preventDefault();
  event.stopPropagation();
});
svg.addEventListener('keyup', (event) => { if (event.key === ' ') space = false; });
addEventListener('blur', () => { space = false; });

// --- the bar and the recipe -------------------------------------------------------------------------------------------
brushSize.addEventListener('input', () => { document.getElementById('brush-value').textContent = brushSize.value; drawMarks(); });
document.addEventListener('click', (event) => {
  const target = event.target.closest?.('[data-show],[data-hand],[data-step-choose],[data-add-step],[data-last-mark],[data-last-stroke],[data-next-source],[data-tidy]');
  if (!target) return;
  const {tidy, index: ofStep, show: what, hand: which, stepChoose, addStep, lastMark, lastStroke, nextSource} = target.dataset;
  if (what) {
    show = what;
    document.querySelectorAll('[data-show]').forEach((button) => button.setAttribute('aria-pressed', button.dataset.show === show));
    if (!zoomed) fit();
    draw();
  } else if (which) { hand = which; drawing = null; showHands(); draw(); }
  else if (tidy === 'keep') document.getElementById('spots').replaceChildren();
  else if (tidy) edit('tidy', {layer: choice().chosen, index: ofStep, [tidy]: document.getElementById('spot-size').value});
  else if (stepChoose !== undefined) look({step_chosen: stepChoose});
  else if (addStep) send('POST', `/scenes/${scene}/step/`, {layer: choice().chosen, step: addStep}).then(focusStep);
  else if (lastMark !== undefined) edit('step-set', {layer: data.layer, index: lastMark, data: JSON.stringify({marks: data.step.marks.slice(0, -1)})});
  else if (lastStroke !== undefined) setStrokes(data.step.strokes.slice(0, -1));
  else if (nextSource !== undefined) { const last = data.step.strokes.at(-1); setStrokes([...data.step.strokes.slice(0, -1), {...last, source: (last.source ?? 0) + 1}]); }
});
document.addEventListener('change', (event) => {
  const field = event.target, {stepField, index} = field.dataset ?? {};
  if (stepField) edit('step-set', {layer: choice().chosen, index, [stepField]: field.type === 'checkbox' ? (field.checked ? '1' : '0') : field.value});
});
document.addEventListener('submit', (event) => {
  const form = event.target.closest?.('[data-copy-recipe]');
  if (form) form.elements.to.value = [...form.querySelectorAll('[data-copy-to]:checked')].map((box) => box.value).join(' ');
}, true);
// Who added a step by keyboard goes on at its card.
const focusStep = () => /** @type {HTMLElement | null} */ (document.querySelector('[data-step-choose][aria-expanded=true]'))?.focus();
document.addEventListener('htmx:oobAfterSwap', (event) => { if (event.detail.target?.id === 'table-data') queueMicrotask(takeTable); });
takeTable();
