// While somebody draws: builds arrive as what changed, and are put in place without a stop.

const changed = new Set(), flashes = new Map();

function listenToBuilds() {
  if (!DATA.live) return;
  const source = new EventSource(DATA.live.events), on = (kind, act) => source.addEventListener(kind, (event) => act(JSON.parse(event.data)));
  let last = Promise.resolve();
  const next = (work) => { last = last.then(work).catch(() => location.reload()); };
  source.onopen = () => tellLive("live");
  source.onerror = () => tellLive("waiting for the program");
  on("hello", ({ build }) => { if (build !== DATA.live.build) location.reload(); });
  on("working", () => tellLive("building"));
  on("built", (built) => next(() => take(built)));
  on("failed", ({ sentence }) => {
    tellLive("live");
    at("alarm").textContent = sentence;
    at("alarm").hidden = false;
  });
  on("settled", ({ texts }) => {
    tellLive("live");
    DATA.texts = texts;
    numbers.texts.clear();
    numbers.told = "";
    at("alarm").hidden = true;
  });
}

function tellLive(said) {
  at("live").textContent = said;
  at("live").dataset.is = said;
}

/** Puts a build in place of the one before: the animation goes on where it was. */
async function take({ build, crate, sheets, skins, changed: names, said, tables }) {
  const base = dresses.get("") ?? now, next = crateOf(crate);
  next.worn.set("", Promise.all(sheets.map((sheet, index) => patched(sheet, crate.sheets[index], base.images))));
  for (const [skin, own] of Object.entries(skins)) {
    const old = dresses.get(skin);
    if (old) next.worn.set(skin, Promise.all(own.map((sheet, index) => patched(sheet, crate.sheets[index], old.images))));
  }
  const worn = next.worn.has(state.skin) ? state.skin : skinsOf(next).includes(state.skin) ? state.skin : "";
  const dressedNow = new Map();
  for (const skin of new Set(["", worn, ...next.worn.keys()])) {
    dressedNow.set(skin, await dressed(next, skin));
    if (dresses.has(skin)) keepWorkedOut(dresses.get(skin), dressedNow.get(skin), names);
  }
  for (const skin of [...dresses.keys()].filter((skin) => skin !== "/before")) dresses.delete(skin);
  for (const [skin, one] of dressedNow) dresses.set(skin, one);
  Object.assign(DATA, tables);
  DATA.live.build = build;
  now.worn = next.worn;
  Object.assign(now, next);
  state.skin = worn;
  if (at("skin")) at("skin").value = worn;
  const there = next.frames, indices = new Map(crate.frames.map((frame, index) => [frame.name, index]));
  const flashing = names.filter((name) => there.has(name)).map((name) => indices.get(name));
  stage.version++;
  if (board.chosen >= crate.frames.length) board.chosen = -1;
  if (state.sheet >= crate.sheets.length) setSheet(0);
  putOnStage(dresses.get(worn), stage.show?.name, true);
  flash(flashing);
  at("alarm").hidden = true;
  tellLive("live");
  at("said").textContent = said;
  document.documentElement.dataset.build = build;
}

/**
 * A sheet as it is now: fetched `whole`, or drawn on the one that is there (`base`), some boxes of which are cleared, or
 * on an empty one to which boxes move (`moves`: which sheet, from where, how large, to where); and what is new
 * (`patches`: where to, and the picture).
 */
async function patched({ whole, base, clears, moves, patches }, { size }, images) {
  if (whole) return imageFrom(whole);
  const there = images[base];
  if (there && !clears.length && !patches.length) return there;
  const pictures = await Promise.all(patches.map(([, , data]) => imageFrom(data)));
  const context = there instanceof OffscreenCanvas ? there.getContext("2d") : canvasOf(...size);
  if (there && there !== context.canvas) context.drawImage(there, 0, 0);
  for (const box of clears) context.clearRect(...box);
  for (const [sheet, x, y, w, h, toX, toY] of moves) context.drawImage(images[sheet], x, y, w, h, toX, toY, w, h);
  pictures.forEach((picture, index) => {
    const [x, y] = patches[index];
    context.clearRect(x, y, picture.width, picture.height);
    context.drawImage(picture, x, y);
  });
  return context.canvas;
}

/** What was worked out of frames that did not change holds on. */
function keepWorkedOut(from, to, names) {
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

/** Lets frames flash on the sheet and in the time line. */
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
