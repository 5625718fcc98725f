// Frames as pixels: their visible parts, their stance, their tints. Computed on demand.

const SEEN = 8, INK_SIDE = 128, MOST_KEPT = 96;

function canvasOf(w, h, often = false) {
  const context = new OffscreenCanvas(Math.max(1, w), Math.max(1, h)).getContext("2d", { willReadFrequently: often });
  context.imageSmoothingEnabled = false;
  return context;
}

/** Caches the result of `make` for a key; keeps only the latest of many. */
function cached(store, key, make) {
  if (!store.has(key)) {
    if (store.size >= MOST_KEPT) store.delete(store.keys().next().value);
    store.set(key, make());
  }
  return store.get(key);
}

/** Returns the cache of a crate in its skin; it lasts until the pixels change. */
const stores = new WeakMap();
function storeOf(crate) {
  if (!stores.has(crate.images)) stores.set(crate.images, { ink: new Map(), stands: new Map(), tinted: new Map(), painted: new Map(), heat: new Map() });
  return stores.get(crate.images);
}

/** Returns a frame's pixels on its whole canvas. */
function pixelsOf(crate, index) {
  const frame = crate.document.frames[index], [w, h] = frame.canvas, context = canvasOf(w, h, true);
  draw(context, crate, frame, ...frame.pivot);
  return context.getImageData(0, 0, w, h);
}

/** Returns the visible part of a frame's canvas, to about a hundredth: [left, top, right, bottom], or null. */
function inkOf(crate, index) {
  const { ink } = storeOf(crate);
  if (!ink.has(index)) ink.set(index, lookForInk(crate, crate.document.frames[index]));
  return ink.get(index);
}

function lookForInk(crate, frame) {
  if (!frame.box[2]) return null;
  const [w, h] = frame.canvas, scale = Math.min(1, INK_SIDE / Math.max(w, h));
  const across = Math.ceil(w * scale), down = Math.ceil(h * scale), context = canvasOf(across, down, true);
  context.imageSmoothingEnabled = true;
  draw(context, crate, frame, frame.pivot[0] * scale, frame.pivot[1] * scale, scale);
  const { data } = context.getImageData(0, 0, across, down), spill = scale < 1 ? 1 : 0;
  let left = across, top = down, right = -1, bottom = -1;
  for (let y = 0, place = 3; y < down; y++) {
    for (let x = 0; x < across; x++, place += 4) {
      if (!data[place]) continue;
      if (x < left) left = x;
      if (x > right) right = x;
      if (y < top) top = y;
      bottom = y;
    }
  }
  if (right < 0) return null;
  return [Math.max(0, (left - spill) / scale), Math.max(0, (top - spill) / scale),
    Math.min(w, (right + 1 + spill) / scale), Math.min(h, (bottom + 1 + spill) / scale)];
}

/** Returns the room for a show's visible parts with all pivots on one point: the distances from that point. */
function roomOf(crate, show) {
  const room = { left: 0, top: 0, right: 0, bottom: 0 };
  let any = false;
  for (const index of new Set(show.frames)) {
    const ink = inkOf(crate, index), [x, y] = crate.document.frames[index].pivot;
    if (!ink) continue;
    const sides = { left: x - ink[0], top: y - ink[1], right: ink[2] - x, bottom: ink[3] - y };
    for (const side in room) room[side] = any ? Math.max(room[side], sides[side]) : sides[side];
    any = true;
  }
  if (any) return room;
  const { canvas: [w, h], pivot: [x, y] } = crate.document.frames[show.frames[0]];
  return { left: x, top: y, right: w - x, bottom: h - y };
}

/** Returns true if a show is painted and looks best smoothed: its frames have more colors than pixel art. */
function isPainted(crate, show) {
  return cached(storeOf(crate).painted, show.name, () => {
    const frame = crate.document.frames[show.frames[Math.floor(show.frames.length / 2)]];
    const side = 192, w = Math.min(side, frame.box[2]), h = Math.min(side, frame.box[3]);
    if (w * h === 0) return false;
    const context = canvasOf(w, h, true), [left, top] = frame.box;
    context.drawImage(crate.images[liesOn(frame)], left + (frame.box[2] - w >> 1), top + (frame.box[3] - h >> 1), w, h, 0, 0, w, h);
    return new Set(new Uint32Array(context.getImageData(0, 0, w, h).data.buffer)).size > 256;
  });
}

/** Returns the middle of the lowest visible row, and the center of mass, as in the charts; null for an empty frame. */
function standOf({ data, width, height }) {
  let mass = 0, x = 0, y = 0, feet = null;
  for (let row = 0, place = 3; row < height; row++) {
    let first = -1, last = -1;
    for (let column = 0; column < width; column++, place += 4) {
      const alpha = data[place];
      if (!alpha) continue;
      mass += alpha;
      x += alpha * (column + 0.5);
      y += alpha * (row + 0.5);
      if (alpha <= SEEN) continue;
      if (first < 0) first = column;
      last = column;
    }
    if (first >= 0) feet = [(first + last + 1) / 2, row + 1];
  }
  return { feet, mass: mass ? [x / mass, y / mass] : null };
}

/** Returns the feet and centers of a show's frames, from their pivots; computes a few missing ones at a time. */
function standsOf(crate, show, later) {
  const { stands } = storeOf(crate), end = performance.now() + 8;
  for (const index of show.frames) {
    if (stands.has(index)) continue;
    if (performance.now() > end) {
      later();
      break;
    }
    const { feet, mass } = standOf(pixelsOf(crate, index)), [x, y] = crate.document.frames[index].pivot;
    const fromPivot = (point) => point && [point[0] - x, point[1] - y];
    stands.set(index, { feet: fromPivot(feet), mass: fromPivot(mass) });
  }
  return show.frames.map((index) => stands.get(index));
}

/** Returns a frame on its canvas with every color moved three quarters of the way to a tint. */
function tintedOf(crate, index, tint) {
  return cached(storeOf(crate).tinted, `${index} ${tint}`, () => {
    const frame = crate.document.frames[index], context = canvasOf(...frame.canvas);
    draw(context, crate, frame, ...frame.pivot);
    context.globalCompositeOperation = "source-atop";
    context.globalAlpha = 0.75;
    context.fillStyle = tint;
    context.fillRect(0, 0, ...frame.canvas);
    return context.canvas;
  });
}

/** Returns a checkerboard pattern. */
function checkerOf(context, side) {
  const tile = canvasOf(2 * side, 2 * side);
  tile.fillStyle = hue("checker-light");
  tile.fillRect(0, 0, 2 * side, 2 * side);
  tile.fillStyle = hue("checker-dark");
  tile.fillRect(side, 0, side, side);
  tile.fillRect(0, side, side, side);
  return context.createPattern(tile.canvas, "repeat");
}
