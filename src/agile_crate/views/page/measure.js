// Measuring: the exact color of the pixel under the pointer, and distances.

/** Returns the pane at a place of the stage, and the place in the art, from the pivot. */
function artOnStage(place) {
  const panes = panesOf(at("stage").width), pane = panes.find((pane) => place.x >= pane.from && place.x < pane.to) ?? panes[0];
  const { x, y } = artAt({ ...stage.view, x: pane.x, y: pane.y }, place);
  return { pane, x: state.mirrored ? -x : x, y };
}

/** Returns the place of a canvas pixel on its sheet; null if it is not stored. */
function storedAt(entry, x, y) {
  const [left, top, w, h] = entry.box, [column, row] = pointOnSheet(entry, [x + 0.5, y + 0.5]).map(Math.floor);
  return column >= left && row >= top && column < left + w && row < top + h ? [column, row] : null;
}

const exactly = { images: new WeakMap(), gl: undefined };

/**
 * Returns a pixel of an image: [red, green, blue, alpha], and a flag if it is exact. Canvas 2D multiplies by alpha and
 * loses color where alpha is low; a texture does not. The canvas serves until the texture is loaded.
 */
function pixelOf(image, x, y, later) {
  const known = exactly.images.get(image);
  if (known === undefined) {
    exactly.images.set(image, null);
    if (sources.has(image)) {
      createImageBitmap(sources.get(image), { premultiplyAlpha: "none", colorSpaceConversion: "none" })
        .then((bitmap) => { exactly.images.set(image, bitmap); later(); }, () => {});
    }
  }
  const context = canvasOf(1, 1, true);
  context.drawImage(image, -x, -y);
  const about = context.getImageData(0, 0, 1, 1).data;
  if (about[3] === 255 || (about[3] === 0 && !known)) return { pixel: about, exact: about[3] === 255 };
  return known ? fromTexture(known, x, y, about, later) : { pixel: about, exact: false };
}

function fromTexture(bitmap, x, y, about, later) {
  const place = `${x} ${y}`;
  if (exactly.bitmap === bitmap && exactly.place === place) return { pixel: exactly.pixel ?? about, exact: !!exactly.pixel };
  Object.assign(exactly, { bitmap, place, pixel: null });
  createImageBitmap(bitmap, x, y, 1, 1, { premultiplyAlpha: "none", colorSpaceConversion: "none" }).then((texel) => {
    exactly.gl ??= new OffscreenCanvas(1, 1).getContext("webgl");
    const { gl } = exactly;
    if (!gl || exactly.place !== place) return;
    gl.bindTexture(gl.TEXTURE_2D, exactly.texture ??= gl.createTexture());
    gl.pixelStorei(gl.UNPACK_COLORSPACE_CONVERSION_WEBGL, gl.NONE);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA, gl.RGBA, gl.UNSIGNED_BYTE, texel);
    gl.bindFramebuffer(gl.FRAMEBUFFER, exactly.frame ??= gl.createFramebuffer());
    gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, exactly.texture, 0);
    gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, exactly.pixel = new Uint8Array(4));
    later();
  });
  return { pixel: about, exact: false };
}

const hex = (pixel) => `#${[...pixel].slice(0, 3).map((part) => part.toString(16).padStart(2, "0")).join("")}`;

/** Describes the pixel under the pointer, or under the keyboard cursor. */
function tellPointed() {
  const place = state.pointed;
  if (!place || !stage.show) {
    at("swatch").style.background = "";
    at("pointed").textContent = state.ruler ? rulerText() : "";
    return;
  }
  const { pane, x, y } = artOnStage(place), frame = pane.crate.document.frames[pane.show.frames[pane.step]];
  const column = Math.floor(x + frame.pivot[0]), row = Math.floor(y + frame.pivot[1]);
  const parts = [`x ${column}, y ${row}`, `${signed(Math.floor(x))}, ${signed(Math.floor(y))} from the pivot`];
  const [w, h] = frame.canvas, outside = column < 0 || row < 0 || column >= w || row >= h;
  const stored = outside ? null : storedAt(frame, column, row);
  let color = "";
  if (stored) {
    const { pixel, exact } = pixelOf(pane.crate.images[liesOn(frame)], ...stored, tellPointed);
    color = `rgb(${pixel[0]} ${pixel[1]} ${pixel[2]} / ${pixel[3] / 255})`;
    parts.push(`${exact || !pixel[3] ? "" : "about "}${pixel[3] || exact ? hex(pixel) : "empty"}, alpha ${pixel[3]}`);
  } else parts.push(outside ? "outside of the canvas" : "empty, nothing stored");
  if (state.ruler) parts.push(rulerText());
  at("swatch").style.background = color;
  at("pointed").textContent = parts.join(" · ");
}

const signed = (number) => number < 0 ? `−${-number}` : `+${number}`;

function rulerText() {
  const { from, to } = state.ruler, across = Math.abs(to.x - from.x), down = Math.abs(to.y - from.y);
  return `${across} across, ${down} down, ${Number(Math.hypot(across, down).toFixed(2))} long`;
}

/** Returns the pixel corner that is nearest to a place. */
function cornerAt(place) {
  const { pane, x, y } = artOnStage(place);
  return { x: Math.round(x), y: Math.round(y), pane: pane.side };
}

function paintRuler(context) {
  const pane = panesOf(at("stage").width)[state.ruler?.from.pane ?? 0], thick = Math.max(1, Math.round(dense()));
  if (state.ruler && pane) {
    const { from, to } = state.ruler;
    onArt(context, pane, (scale) => {
      for (const [width, color] of [[3, hue("paper-light")], [1, hue("pivot")]]) {
        context.lineWidth = width * thick / scale;
        context.strokeStyle = color;
        context.beginPath();
        context.moveTo(from.x, from.y);
        context.lineTo(to.x, to.y);
        context.stroke();
      }
    });
  }
  if (state.cursor && state.tool === "measure") {
    onArt(context, pane ?? panesOf(at("stage").width)[0], (scale) => {
      context.lineWidth = thick / scale;
      context.strokeStyle = hue("accent");
      context.strokeRect(state.cursor.x, state.cursor.y, 1, 1);
    });
  }
}
