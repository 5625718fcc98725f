// SPDX-License-Identifier: MIT
// Copyright (c) The Agile Crate developers
//
// A small reader of Agile Crate metadata, version 1, for Canvas 2D. An ES module; copy it into your page.
//
//   import { load, frame, frameAt, draw } from "./crate.js";
//   const crate = await load("build/otter.json");
//   draw(context, crate, frameAt(crate, "swim", performance.now()), x, y);    // the pivot at x, y

/** Loads metadata and its images, or a skin's. Throws for other files, and for sheets that Canvas 2D cannot draw. */
export async function load(url, skin = "") {
  const response = await fetch(url);
  if (!response.ok) throw new Error(`${url} cannot be read: ${response.status}`);
  const document = await response.json();
  if (document.format !== "agile-crate" || document.version !== 1) {
    throw new Error(`${url} is not Agile Crate metadata of version 1`);
  }
  const sheets = document.sheets.map((sheet) => (skin ? sheet.skins[skin] : sheet));
  if (document.alpha === "premultiplied" && !sheets[0].plain) {
    throw new Error(`${url}: Canvas 2D multiplies by alpha itself; pack without --premultiply`);
  }
  const images = await Promise.all(sheets.map(({ image }) => loadImage(image, response.url)));
  const frames = new Map(document.frames.map((frame) => [frame.name, frame]));
  const animations = new Map(document.animations.map((animation) => [animation.name, animation]));
  return { document, images, frames, animations };
}

async function loadImage(name, base) {
  if (name === "" || name === "." || name === ".." || /[/\\:\0]/.test(name)) {
    throw new Error(`an image must be a file in the metadata's folder, not ${name}`);
  }
  const image = new Image();
  image.src = new URL(encodeURIComponent(name), base).href;
  await image.decode();
  return image;
}

/** Returns a frame by its name. */
export function frame(crate, name) {
  const found = crate.frames.get(name);
  if (!found) throw new Error(`unknown frame ${name}`);
  return found;
}

/** Returns the frame that an animation shows at a time after its start, in milliseconds. */
export function frameAt(crate, name, milliseconds) {
  const animation = crate.animations.get(name);
  if (!animation) throw new Error(`unknown animation ${name}`);
  return crate.document.frames[animation.frames[stepAt(animation, milliseconds)]];
}

/**
 * Returns the position in an animation's lists at a time. Each step lasts for its own duration, or its own beats; a
 * thousandth of a beat is added, so that a clock that counts in the same beats misses none by rounding. Back and forth
 * plays 1 2 3 4 3 2 and starts over: the first and the last once a turn. An animation with the loop "once" (or `times`)
 * stays on its last frame.
 */
export function stepAt(animation, milliseconds) {
  const steps = animation.frames.map((_, index) => index);
  if (animation.loop === "back-and-forth") steps.push(...steps.slice(1, -1).reverse());
  const { beats, fps } = animation, lengths = beats ?? animation.durations;
  const now = beats ? Math.floor(milliseconds * (fps[0] / fps[1]) / 1000 + 0.001) : milliseconds;
  const turn = steps.reduce((sum, step) => sum + lengths[step], 0);
  if (animation.loop === "once" && now < 0) return steps[0];
  if (animation.loop === "once" && now >= turn * Math.max(1, animation.times ?? 0)) {
    return steps[steps.length - 1];
  }
  let left = ((now % turn) + turn) % turn;
  for (const step of steps) {
    left -= lengths[step];
    if (left < 0) return step;
  }
  return steps[steps.length - 1];
}

/** Draws a frame with its pivot at x, y, enlarged by scale. The context decides if pixels are smoothed. */
export function draw(context, crate, entry, x, y, scale = 1) {
  const [left, top, w, h] = entry.box;
  if (w === 0 || h === 0) return; // an empty entry
  const mirror = entry.mirror ?? "";
  context.save();
  context.translate(x, y);
  context.scale(scale, scale);
  context.translate(-entry.pivot[0], -entry.pivot[1]);
  if (mirror.includes("x")) context.transform(-1, 0, 0, 1, entry.canvas[0], 0);
  if (mirror.includes("y")) context.transform(1, 0, 0, -1, 0, entry.canvas[1]);
  context.translate(entry.offset[0], entry.offset[1]);
  if (entry.turned) context.transform(0, -1, 1, 0, 0, w); // counterclockwise; exact, as an angle would not be
  context.drawImage(crate.images[entry.sheet], left, top, w, h, 0, 0, w, h);
  context.restore();
}
