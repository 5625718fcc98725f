// Live updates: each build arrives as its changes, and playback continues.

const changed = new Set(), flashes = new Map();

function listenToBuilds() {
  if (!DATA.live) return;
  const source = new EventSource(DATA.live.events), on = (kind, act) => source.addEventListener(kind, (event) => act(JSON.parse(event.data)));
  let last = Promise.resolve();
  const next = (work) => { last = last.then(work).catch(() => location.reload()); };
  source.onopen = () => showLive("live");
  source.onerror = () => showLive("waiting for the program");
  on("hello", ({ build }) => { if (build !== DATA.live.build) location.reload(); });
  on("working", () => showLive("building"));
  on("built", (built) => next(() => take(built)));
  on("elsewhere", ({ crate, is, sentence }) => {
    const link = [...document.querySelectorAll("nav a")].find(({ textContent }) => textContent === crate);
    if (!link) return;
    link.dataset.is = is;
    link.title = sentence;
  });
  on("failed", ({ sentence }) => {
    showLive("live");
    at("alarm").textContent = sentence;
    at("alarm").hidden = false;
  });
  on("settled", ({ texts }) => {
    showLive("live");
    DATA.texts = texts;
    numbers.texts.clear();
    numbers.shownKey = "";
    at("alarm").hidden = true;
  });
}

function showLive(text) {
  at("live").textContent = text;
  at("live").dataset.is = text;
}

/** Replaces the previous build; the animation continues where it was. */
async function take({ build, crate, sheets, skins, changed: names, summary, tables }) {
  const base = cratesBySkin.get("") ?? now, next = crateOf(crate);
  next.worn.set("", Promise.all(sheets.map((sheet, index) => patched(sheet, crate.sheets[index], base.images))));
  for (const [skin, own] of Object.entries(skins)) {
    const old = cratesBySkin.get(skin);
    if (old) next.worn.set(skin, Promise.all(own.map((sheet, index) => patched(sheet, crate.sheets[index], old.images))));
  }
  const worn = next.worn.has(state.skin) ? state.skin : skinsOf(next).includes(state.skin) ? state.skin : "";
  const newCrates = new Map();
  for (const skin of new Set(["", worn, ...next.worn.keys()])) {
    newCrates.set(skin, await inSkin(next, skin));
    if (cratesBySkin.has(skin)) keepCached(cratesBySkin.get(skin), newCrates.get(skin), names);
  }
  for (const skin of [...cratesBySkin.keys()].filter((skin) => skin !== "/before")) cratesBySkin.delete(skin);
  for (const [skin, skinned] of newCrates) cratesBySkin.set(skin, skinned);
  Object.assign(DATA, tables);
  DATA.live.build = build;
  now.worn = next.worn;
  Object.assign(now, next);
  state.skin = worn;
  if (at("skin")) at("skin").value = worn;
  const known = next.frames, indices = new Map(crate.frames.map((frame, index) => [frame.name, index]));
  const flashing = names.filter((name) => known.has(name)).map((name) => indices.get(name));
  stage.version++;
  if (board.chosen >= crate.frames.length) board.chosen = -1;
  if (state.sheet >= crate.sheets.length) setSheet(0);
  putOnStage(cratesBySkin.get(worn), stage.show?.name, true);
  flash(flashing);
  at("alarm").hidden = true;
  showLive("live");
  at("news").textContent = summary;
  document.documentElement.dataset.build = build;
}

/**
 * Returns the present sheet: fetched `whole`; or drawn on the existing sheet `base` after clearing boxes; or drawn on
 * an empty one to which boxes move (`moves`: the old sheet, the old place, the size, the new place). New pictures are
 * drawn last (`patches`: the place and the picture).
 */
async function patched({ whole, base, clears, moves, patches }, { size }, images) {
  if (whole) return imageFrom(whole);
  const known = images[base];
  if (known && !clears.length && !patches.length) return known;
  const pictures = await Promise.all(patches.map(([, , data]) => imageFrom(data)));
  const context = known instanceof OffscreenCanvas ? known.getContext("2d") : canvasOf(...size);
  if (known && known !== context.canvas) context.drawImage(known, 0, 0);
  for (const box of clears) context.clearRect(...box);
  for (const [sheet, x, y, w, h, toX, toY] of moves) context.drawImage(images[sheet], x, y, w, h, toX, toY, w, h);
  pictures.forEach((picture, index) => {
    const [x, y] = patches[index];
    context.clearRect(x, y, picture.width, picture.height);
    context.drawImage(picture, x, y);
  });
  return context.canvas;
}

/** Keeps cached results of unchanged frames. */
function keepCached(from, to, names) {
  const gone = new Set(names), old = storeOf(from), fresh = storeOf(to);
  const places = new Map(from.document.frames.map((frame, index) => [frame.name, index]));
  to.document.frames.forEach(({ name }, index) => {
    if (gone.has(name) || !places.has(name)) return;
    for (const what of ["ink", "stands"]) {
      if (old[what].has(places.get(name))) fresh[what].set(index, old[what].get(places.get(name)));
    }
  });
  for (const [name, painted] of old.painted) fresh.painted.set(name, painted);
}

/** Makes frames flash on the sheet and in the time line. */
function flash(indices) {
  changed.clear();
  for (const element of flashes.values()) element.remove();
  flashes.clear();
  for (const index of indices) {
    changed.add(index);
    const frame = stage.crate.document.frames[index];
    if (liesOn(frame) !== state.sheet || flashes.size > 200) continue;
    const element = document.createElement("div");
    element.className = "flash";
    at("flashes").append(element);
    flashes.set(index, element);
  }
  clearTimeout(flash.timer);
  flash.timer = setTimeout(() => { changed.clear(); for (const element of flashes.values()) element.remove(); flashes.clear(); show(); }, 2500);
  show();
}
