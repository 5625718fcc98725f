// The page's data: a crate, or two to compare, as the reader above loads them.

/** Returns a frame's sheet. */
const liesOn = ({ sheet }) => sheet;

const at = (id) => document.getElementById(id);
const DATA = JSON.parse(at("crate").textContent);

/** Returns a color of the style sheet; films, strips and charts use the same colors. */
const hue = ((style) => (name) => style.getPropertyValue(`--${name}`).trim())(getComputedStyle(document.documentElement));

/** Escapes characters in a name that could reverse or hide text. */
function shown(name) {
  return name.replace(/[\p{C}\p{Zl}\p{Zp}]/gu, (c) => `\\u${c.codePointAt(0).toString(16).padStart(4, "0")}`);
}

/** Formats a whole number with thousands separators. */
const grouped = (count) => String(count).replace(/\B(?=(\d{3})+$)/g, ",");

function counted(count, noun) {
  return `${grouped(count)} ${noun}${count === 1 ? "" : "s"}`;
}

/**
 * Returns a crate in one skin: its metadata, its sheets' images, and its `shows`: the animations, and each still as an
 * animation of one frame. `owners` are the shows of each frame, with its position; `twins` are frames that share a box.
 */
function crateOf(metadata) {
  const animations = new Map(metadata.animations.map((animation) => [animation.name, animation]));
  const frames = new Map(metadata.frames.map((frame) => [frame.name, frame]));
  const owners = metadata.frames.map(() => []), twins = new Map();
  const shows = metadata.animations.map((animation, index) => ({ ...animation, index, still: false }));
  for (const show of shows) show.frames.forEach((frame, step) => owners[frame].push({ show, step }));
  metadata.frames.forEach((frame, index) => {
    if (frame.box[2]) {
      const place = [liesOn(frame), ...frame.box].join();
      twins.set(place, [...(twins.get(place) ?? []), index]);
    }
    if (owners[index].length) return;
    const still = { name: frame.name, frames: [index], durations: [1000], loop: "forever", index: shows.length, still: true };
    owners[index].push({ show: still, step: 0 });
    shows.push(still);
  });
  return { document: metadata, images: [], skin: "", frames, animations, shows, owners, twins, worn: new Map() };
}

const now = crateOf(DATA.crate);
const before = DATA.before ? crateOf(DATA.before) : null;

/** Returns the other frames that share a frame's box. */
function twinsOf(crate, index) {
  const frame = crate.document.frames[index];
  return (crate.twins.get([liesOn(frame), ...frame.box].join()) ?? []).filter((other) => other !== index);
}

/** Returns the place on the sheet of a point on a frame's canvas. */
function pointOnSheet(entry, [x, y]) {
  const mirror = entry.mirror ?? "";
  if (mirror.includes("x")) x = entry.canvas[0] - x;
  if (mirror.includes("y")) y = entry.canvas[1] - y;
  x -= entry.offset[0];
  y -= entry.offset[1];
  return entry.turned ? [entry.box[0] + entry.box[2] - y, entry.box[1] + x] : [entry.box[0] + x, entry.box[1] + y];
}

const skinsOf = (crate) => Object.keys(crate.document.sheets[0]?.skins ?? {});

/** Returns the crate in a skin, or in its own art. Results are cached. */
async function inSkin(crate, skin) {
  if (!crate.worn.has(skin)) {
    const loading = crate.document.sheets.map((sheet) => imageFrom((skin ? sheet.skins[skin] : sheet).data));
    crate.worn.set(skin, Promise.all(loading));
  }
  return { ...crate, images: await crate.worn.get(skin), skin };
}

/** The images from which bitmaps were made. */
const sources = new WeakMap();

/** Decodes an image once. */
async function imageFrom(source) {
  const image = new Image();
  await new Promise((loaded, failed) => Object.assign(image, { onload: loaded, onerror: failed, src: source }));
  const bitmap = await createImageBitmap(image);
  sources.set(bitmap, image);
  return bitmap;
}

/** The frames and animations that changed since the other crate. */
const differs = new Set(DATA.differs);

/** Findings by frame name, the worst first. */
const foundOn = new Map();
for (const finding of DATA.findings) {
  for (const name of finding.frames) foundOn.set(name, [...(foundOn.get(name) ?? []), finding]);
}
