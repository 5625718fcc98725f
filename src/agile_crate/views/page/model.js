// What the page shows: a crate, or two of them to be compared, as the reader above takes them.

/** The sheet that a frame lies on. */
const liesOn = ({ sheet }) => sheet;

const at = (id) => document.getElementById(id);
const DATA = JSON.parse(at("crate").textContent);

/** Colors, as the style sheet has them: they are those of the films, the strips and the charts. */
const hue = ((style) => (name) => style.getPropertyValue(`--${name}`).trim())(getComputedStyle(document.documentElement));

/** A name with nothing in it that could turn the text round or hide some of it. */
function shown(name) {
  return name.replace(/[\p{C}\p{Zl}\p{Zp}]/gu, (c) => `\\u${c.codePointAt(0).toString(16).padStart(4, "0")}`);
}

/** A whole number with its thousands set apart. */
const grouped = (count) => String(count).replace(/\B(?=(\d{3})+$)/g, ",");

function counted(count, noun) {
  return `${grouped(count)} ${noun}${count === 1 ? "" : "s"}`;
}

/**
 * A crate: its metadata and its sheets' images, in the skin that it wears, and `shows`, all that can be played: its
 * animations, and each of its stills as an animation of one frame. `owners` are the shows in which each frame is seen,
 * with its position; `twins` are the frames that lie in one box.
 */
function crateOf(metadata) {
  const animations = new Map(metadata.animations.map((one) => [one.name, one]));
  const frames = new Map(metadata.frames.map((one) => [one.name, one]));
  const owners = metadata.frames.map(() => []), twins = new Map();
  const shows = metadata.animations.map((one, index) => ({ ...one, index, still: false }));
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

/** All frames that lie in the box of one, but for itself. */
function twinsOf(crate, index) {
  const frame = crate.document.frames[index];
  return (crate.twins.get([liesOn(frame), ...frame.box].join()) ?? []).filter((other) => other !== index);
}

/** Where a point of a frame's canvas lies on its sheet. */
function pointOnSheet(one, [x, y]) {
  const mirror = one.mirror ?? "";
  if (mirror.includes("x")) x = one.canvas[0] - x;
  if (mirror.includes("y")) y = one.canvas[1] - y;
  x -= one.offset[0];
  y -= one.offset[1];
  return one.turned ? [one.box[0] + one.box[2] - y, one.box[1] + x] : [one.box[0] + x, one.box[1] + y];
}

const skinsOf = (crate) => Object.keys(crate.document.sheets[0]?.skins ?? {});

/** The crate in a skin, or in its own art. What was worn once is kept. */
async function dressed(crate, skin) {
  if (!crate.worn.has(skin)) {
    const loading = crate.document.sheets.map((sheet) => imageFrom((skin ? sheet.skins[skin] : sheet).data));
    crate.worn.set(skin, Promise.all(loading));
  }
  return { ...crate, images: await crate.worn.get(skin), skin };
}

/** The images that bitmaps were made of. */
const sources = new WeakMap();

/** An image, decoded once and for all. */
async function imageFrom(source) {
  const image = new Image();
  await new Promise((loaded, failed) => Object.assign(image, { onload: loaded, onerror: failed, src: source }));
  const bitmap = await createImageBitmap(image);
  sources.set(bitmap, image);
  return bitmap;
}

/** The frames and animations that are not as they were before. */
const differs = new Set(DATA.differs);

/** Findings by the names of frames, the worst first. */
const foundOn = new Map();
for (const finding of DATA.findings) {
  for (const name of finding.frames) foundOn.set(name, [...(foundOn.get(name) ?? []), finding]);
}
