// Comparison of two shows: another animation, another skin, or the previous build; side by side, with a slider, or as their difference.

/** Returns the other side of the comparison: a crate in a skin, and one of its shows; null without one. */
function otherOf(stage) {
  const [kind, name] = splitAt(state.against);
  if (kind === "animation") return withShow(stage.crate, name);
  if (kind === "skin") return cratesBySkin.get(name) && withShow(cratesBySkin.get(name), stage.show.name);
  if (kind === "before" && before) return withShow(cratesBySkin.get("/before") ?? before, stage.show.name);
  return null;
}

function splitAt(text) {
  const place = text.indexOf(":");
  return place < 0 ? [text, ""] : [text.slice(0, place), text.slice(place + 1)];
}

function withShow(crate, name) {
  const show = crate.shows.find((show) => show.name === name);
  return show && crate.images.length ? { crate, show } : null;
}

/** Returns the step of the other show: at the same time, or at the same position. */
function stepOfOther(other, stage, step) {
  if (state.inStep === "step") return Math.min(step, other.show.frames.length - 1);
  return stepAt(asPlayed(other.show, { fps: state.fps, again: state.again }), state.time + startOfPart(stage.show));
}

/** Returns the time at which the loop range begins. */
function startOfPart(show) {
  if (!state.range) return 0;
  return lengthsOf(asPlayed(show, { fps: state.fps })).slice(0, state.range[0]).reduce((sum, time) => sum + time, 0);
}

/**
 * Returns the difference of two frames with their pivots on one point, from black through red to white, with colors
 * multiplied by alpha: the picture, the place of its top left from the pivot, and the number of different pixels.
 */
function differenceOf(first, firstIndex, second, secondIndex) {
  const store = storeOf(first).heat, key = `${firstIndex} ${secondIndex}`, known = store.get(key);
  if (known?.images === second.images) return known;
  const frames = [first.document.frames[firstIndex], second.document.frames[secondIndex]];
  const left = Math.ceil(Math.max(...frames.map(({ pivot }) => pivot[0]))), top = Math.ceil(Math.max(...frames.map(({ pivot }) => pivot[1])));
  const w = left + Math.ceil(Math.max(...frames.map(({ canvas, pivot }) => canvas[0] - pivot[0])));
  const h = top + Math.ceil(Math.max(...frames.map(({ canvas, pivot }) => canvas[1] - pivot[1])));
  const [a, b] = [first, second].map((crate, side) => {
    const context = canvasOf(w, h, true);
    draw(context, crate, frames[side], left, top);
    return context.getImageData(0, 0, w, h).data;
  });
  const context = canvasOf(w, h), heat = context.createImageData(w, h), out = new Uint32Array(heat.data.buffer);
  const was = new Uint32Array(a.buffer), is = new Uint32Array(b.buffer);
  let count = 0;
  for (let place = 0; place < out.length; place++) {
    if (was[place] === is[place]) continue;
    const byte = 4 * place, before = a[byte + 3], after = b[byte + 3];
    let by = Math.abs(before - after);
    for (let channel = 0; channel < 3; channel++) {
      by = Math.max(by, Math.abs(a[byte + channel] * before - b[byte + channel] * after) / 255);
    }
    if (by === 0) continue;
    count++;
    by = Math.max(Math.round(by), 40);
    out[place] = 0xff000000 | Math.max(4 * by - 765, 0) << 16 | Math.max(2 * by - 255, 0) << 8 | Math.min(2 * by, 255);
  }
  context.putImageData(heat, 0, 0);
  const found = { images: second.images, canvas: context.canvas, left, top, count, of: w * h };
  store.delete(key);
  return cached(store, key, () => found);
}
