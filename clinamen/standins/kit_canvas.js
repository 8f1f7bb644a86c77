// Reads an engine kit and draws it on a canvas: the example to port, in plain JavaScript, written from docs/engine-kit.md alone.
//   const kit = await openKit('folder/');  kit.draw(context, {scroll: 0.5, u: 0, v: 0, time: 0}, scale);
// Frontal sheets are drawn exactly; sheets seen at a slant in small patches, since a canvas knows no perspective.
import {clamped, inverse, pitch, roll, through, times, transposed, yaw} from './kit_matrices.js';

const PATCHES = 12;  // along each side of a slanted picture
const SOLVED = 1e-12;

// --- tracks -----------------------------------------------------------------------------------------------------------
// cubic-bezier(x1, y1, x2, y2) at input progress x, by halving: x rises with the parameter.
function eased([x1, y1, x2, y2], x) {
  let low = 0, high = 1, t = 0.5;
  while (high - low > SOLVED) {
    t = (low + high) / 2;
    if (3 * x1 * t * (1 - t) ** 2 + 3 * x2 * t * t * (1 - t) + t ** 3 < x) low = t; else high = t;
  }
  return 3 * y1 * t * (1 - t) ** 2 + 3 * y2 * t * t * (1 - t) + t ** 3;
}
// Held before the first key and after the last, eased between.
function trackValue({keys}, at) {
  if (at < keys[0].at) return keys[0].value;
  for (let i = 0; i + 1 < keys.length; i++) {
    const [key, after] = [keys[i], keys[i + 1]];
    if (at >= after.at) continue;
    if (key.ease === 'hold') return key.value;
    if (key.ease === 'jump') return after.value;
    return key.value + (after.value - key.value) * eased(key.ease, (at - key.at) / (after.at - key.at));
  }
  return keys.at(-1).value;
}

class Kit {
  constructor(data, pages) {
    this.data = data;
    this.pictures = new Map(data.layers.flatMap(({id, sprites}) => [...new Set(sprites.map(({cell}) => cell))]
      .map((cell) => [`${id}/${cell}`, together(sprites.filter((sprite) => sprite.cell === cell), pages)])));
  }

  // Where a driver's tracks stand: scroll within 0…1; time begun again past its end where it loops, else held.
  at(driver, state) {
    if (driver === 'scroll') return clamped(state.scroll, 0, 1);
    const {duration, loop} = this.data.drivers.time;
    return state.time > duration && loop ? state.time % duration : clamped(state.time, 0, duration);
  }
  // Resting values with every track of a target worked in.
  channels(target, resting, state) {
    const values = {...resting};
    for (const track of this.data.tracks) {
      if (track.target !== target || !(track.channel in resting)) continue;
      const value = trackValue(track, this.at(track.driver, state));
      values[track.channel] = track.combine === 'multiply' ? values[track.channel] * value : values[track.channel] + value;
    }
    return values;
  }
  camera(state) {
    const {aperture = 1} = this.data.lens.open ?? {}, resting = {arc: 0, crane: 0, focus: 1, aperture, ...this.data.camera};
    const camera = this.channels('camera', resting, state), {pointer = {reach_x: 0, reach_y: 0}} = this.data.drivers;
    return {...camera, x: camera.x + state.u * pointer.reach_x, y: camera.y + state.v * pointer.reach_y};
  }
  // What arcs go round, in scene pixels from the camera's zero position.
  target() {
    const {camera: {target = {x: 0, y: 0, depth: 0}}, lens: {distance}} = this.data, farther = 1 + target.depth / distance;
    return [target.x * farther, target.y * farther, distance * farther];
  }
  // From art pixels, counted from the art's centre, to view pixels; with the layer's opacity and softness.
  placed(layer, state) {
    const {view, lens: {distance}} = this.data, far = layer.depth === 'infinite';
    const resting = {...layer.framing, ...layer.tilt, opacity: layer.opacity, depth: far ? 0 : layer.depth, blur: 0};
    const own = this.channels(layer.id, resting, state), {anchor = {x: 0, y: 0}, carriers = []} = layer, camera = this.camera(state);
    let [turn, rest] = [own, resting].map((at) => times(times(yaw(at.turn), pitch(-at.lean)), roll(at.rotation)));
    // the art's own shape first: an art pixel down is `stretch` high and leans by `skew`
    const shape = [[1, Math.tan((layer.framing.skew ?? 0) * Math.PI / 180)], [0, layer.framing.stretch ?? 1], [0, 0]];
    const pin = times(shape, [[anchor.x], [anchor.y]]), rests = times(rest, pin);
    let place = [own.x, own.y, 0].map((at, i) => at + resting.scale * rests[i][0]);  // where the anchor rests
    for (const name of carriers) {
      const {at, ...still} = this.data.carriers.find(({id}) => id === name), by = this.channels(name, still, state);
      const from = times(roll(by.rotation), place.map((value, i) => [value - [at.x, at.y, 0][i]]));
      place = [at.x + by.x, at.y + by.y, 0].map((value, i) => value + by.scale * from[i][0]);
      turn = times(roll(by.rotation), turn);
      own.scale *= by.scale; own.opacity *= by.opacity; own.depth += by.depth;
    }
    const rate = far ? 0 : distance / (distance + own.depth), held = times(turn, pin);
    const around = times(yaw(camera.arc), pitch(camera.crane)), target = this.target();
    const look = times(around, times(times(yaw(camera.yaw), pitch(camera.pitch)), roll(camera.roll)));
    const away = times(around, ['x', 'y', 'z'].map((axis, i) => [camera[axis] - target[i]]));
    const origin = [0, 0, distance].map((at, i) => at + place[i] - own.scale * held[i][0] - rate * (target[i] + away[i][0]));
    const columns = times(turn, shape).map((row, i) => [row[0] * own.scale, row[1] * own.scale, origin[i]]);
    const focal = camera.zoom * distance;
    const matrix = times(times([[focal, 0, view.width / 2], [0, focal, view.height / 2], [0, 0, 1]], transposed(look)), columns);
    const disc = this.disc(layer, rate, camera, (target[2] + away[2][0]) / distance);
    return {matrix, opacity: clamped(own.opacity, 0, 1), blur: Math.hypot(Math.max(0, own.blur), disc / 4)};
  }
  // Diameter of the disc that the lens makes of a point of a sheet, in view pixels.
  disc({takes_focus = true}, rate, camera, along) {
    const {open} = this.data.lens, focus = Math.max(0, camera.focus);
    if (!open || !takes_focus) return 0;
    return camera.zoom * open.slope / camera.aperture * Math.abs(focus - rate) / ((1 - focus * (along + open.near)) * (1 - rate * along));
  }
  cell({frames: {fps, offset, count, play} = {}}, state) {  // which of an actor's cells is shown
    if (!count) return undefined;
    const at = this.data.drivers.time ? this.at('time', state) : 0;
    const step = Math.floor(fps * (at + offset) + 1e-9), round = play === 'cycle' || count === 1 ? count : 2 * count - 2;
    if (play === 'once') return clamped(step, 0, count - 1);
    const along = ((step % round) + round) % round;
    return Math.min(along, round === count ? along : round - along);
  }
  // The view at a state, layers in the kit's order, each over what is behind it.
  draw(context, state, scale = 1) {
    const {view, layers} = this.data;
    context.setTransform(1, 0, 0, 1, 0, 0);
    Object.assign(context, {globalAlpha: 1, globalCompositeOperation: 'source-over'});
    context.fillStyle = view.background;
    context.fillRect(0, 0, context.canvas.width, context.canvas.height);
    for (const layer of layers) {
      const {matrix, opacity, blur} = this.placed(layer, state);
      if (opacity <= 0) continue;
      // a layer is drawn by itself first: its patches then lie over the view as one
      const margin = Math.ceil(3 * blur * scale), sheet = new OffscreenCanvas(context.canvas.width + 2 * margin, context.canvas.height + 2 * margin);
      const own = sheet.getContext('2d');
      own.imageSmoothingQuality = 'high';
      this.sheet(own, layer, times([[scale, 0, margin], [0, scale, margin], [0, 0, 1]], matrix), this.pictures.get(`${layer.id}/${this.cell(layer, state)}`));
      if (layer.backdrop) this.frost(context, layer, sheet, Math.hypot(matrix[0][0], matrix[1][0]) / matrix[2][2] / layer.framing.scale * scale, opacity);
      context.globalAlpha = opacity;
      context.globalCompositeOperation = {normal: 'source-over', add: 'lighter'}[layer.blend] ?? layer.blend;
      context.filter = blur > 0 ? `blur(${blur * scale}px)` : 'none';
      context.drawImage(sheet, -margin, -margin);
      context.filter = 'none';
    }
  }
  // All that is there already, softened and tinted where a sheet lies; its faint parts count as whole.
  frost(context, {backdrop: {blur, saturation}}, sheet, larger, opacity) {
    const soft = new OffscreenCanvas(sheet.width, sheet.height), own = soft.getContext('2d');
    own.filter = `blur(${blur * larger}px) saturate(${saturation})`;
    own.drawImage(context.canvas, 0, 0);
    Object.assign(own, {filter: 'none', globalCompositeOperation: 'destination-in'});
    const shape = new OffscreenCanvas(sheet.width, sheet.height), solid = shape.getContext('2d');
    for (let i = 0; i < 10; i++) solid.drawImage(sheet, 0, 0);
    own.drawImage(shape, 0, 0);
    Object.assign(context, {globalAlpha: opacity, globalCompositeOperation: 'source-over', filter: 'none'});
    context.drawImage(soft, 0, 0);
  }
  // A layer's art; repeating art as often as it reaches into the canvas.
  sheet(context, layer, matrix, picture) {
    const {width, height} = layer.size;
    const [[x0, x1], [y0, y1]] = picture ? this.copies(context.canvas, layer, matrix) : [[0, -1], [0, -1]];
    for (let i = x0; i <= x1; i++) {
      for (let j = y0; j <= y1; j++) {
        const [flipX, flipY] = [layer.repeat.x === 'mirror' && i % 2 !== 0, layer.repeat.y === 'mirror' && j % 2 !== 0];
        const copy = [[flipX ? -1 : 1, 0, i * width], [0, flipY ? -1 : 1, j * height], [0, 0, 1]];
        this.picture(context, picture, layer.size, times(matrix, copy));
      }
    }
  }
  // The first and last copy along each axis whose place in the art's plane is on the canvas.
  copies(canvas, {size, repeat}, matrix) {
    const back = inverse(matrix);
    const corners = [[0, 0], [canvas.width, 0], [0, canvas.height], [canvas.width, canvas.height]].map(([x, y]) => through(back, x, y));
    return ['x', 'y'].map((axis, at) => {
      if (repeat[axis] === 'none') return [0, 0];
      const length = at ? size.height : size.width, places = corners.map((corner) => corner[at] / length);
      return [Math.round(Math.min(...places)), Math.round(Math.max(...places))];
    });
  }
  picture(context, {image, part}, size, matrix) {
    const {width, height} = image, [left, top] = [part.x - size.width / 2, part.y - size.height / 2];
    const slanted = Math.abs(matrix[2][0]) + Math.abs(matrix[2][1]) > 1e-12, count = slanted ? PATCHES : 1;
    for (let i = 0; i < count; i++) {
      for (let j = 0; j < count; j++) {
        const [a0, a1, b0, b1] = [i, i + 1, j, j + 1].map((step, k) => (k < 2 ? left + part.width * step / count : top + part.height * step / count));
        const corners = [[a0, b0], [a1, b0], [a0, b1], [a1, b1]].map(([a, b]) => through(matrix, a, b));
        if (corners.some(([, , q]) => q <= 0)) continue;  // behind the camera
        const [o, across, down] = corners, [w, h] = [width / count, height / count];
        // patches overlap by half a pixel of the art, so that no line shows between them
        const lap = slanted ? 0.5 : 0;
        context.setTransform((across[0] - o[0]) / w, (across[1] - o[1]) / w, (down[0] - o[0]) / h, (down[1] - o[1]) / h, o[0], o[1]);
        context.drawImage(image, i * w, j * h, w + lap, h + lap, 0, 0, w + lap, h + lap);
      }
    }
  }
}
// A layer's sprites laid together: a canvas softens the edge of every picture it draws, so that they would show lines between them.
function together(sprites, pages) {
  const least = (axis) => Math.min(...sprites.map(({part}) => part[axis]));
  const most = (axis, side) => Math.max(...sprites.map(({part}) => part[axis] + part[side]));
  const [x0, y0] = [least('x'), least('y')], part = {x: x0, y: y0, width: most('x', 'width') - x0, height: most('y', 'height') - y0};
  const [across, down] = [sprites[0].width / sprites[0].part.width, sprites[0].height / sprites[0].part.height];
  const image = new OffscreenCanvas(Math.round(part.width * across), Math.round(part.height * down)), context = image.getContext('2d');
  for (const {page, x, y, width, height, part: own} of sprites) {
    context.drawImage(pages[page], x, y, width, height, Math.round((own.x - x0) * across), Math.round((own.y - y0) * down), width, height);
  }
  return {image, part};
}
// A kit's folder, served or beside the page. Browsers multiply by alpha themselves, so a kit with straight colours is asked for.
export async function openKit(folder) {
  const data = await (await fetch(`${folder}kit.json`)).json();
  if (data.premultiplied) throw new Error('kit.json: its colours are multiplied by alpha; export it with straight ones');
  const pages = await Promise.all(data.pages.map(async ({file}) => createImageBitmap(await (await fetch(folder + file)).blob())));
  return new Kit(data, pages);
}
