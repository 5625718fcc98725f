// The page: its state, its controls, its keys, and the address that restores the state.

const state = {
  playing: true, time: 0, speed: 1, fps: 0, again: true, range: null,
  zoom: "fit", at: null, smooth: "auto", backdrop: "checker", color: "#3a7ca5", mirrored: false,
  onion: 0, strength: 0.5, guide: "", pivot: false, shapes: false, canvas: false, path: false,
  tool: "pan", ruler: null, cursor: null, pointed: null,
  against: "", compared: "beside", inStep: "time", cut: 0.5,
  skin: "", sheet: 0, boxes: false, names: false, pivots: false, canvases: false, gaps: false,
  scope: "frame", form: "text",
};

/** The state in the address, besides the animation and the step: every value that is not the default. */
const IN_ADDRESS = ["zoom", "skin", "range", "speed", "fps", "onion", "guide", "pivot", "shapes", "canvas", "path", "mirrored", "smooth", "backdrop", "color", "against", "compared", "inStep"];
const AT_FIRST = { ...state };

/** Paints everything that changed. */
function show() {
  if (!stage.show) {
    paintSheet();
    paintNumbers();
    return;
  }
  lookAtStage();
  followSheet();
  paintStage();
  paintLine();
  paintReel();
  paintSheet();
  paintNumbers();
  tellStep();
  tellControls();
  writeAddress();
}

let followed = -1;
/** Switches to the sheet of the shown frame when the frame changes. */
function followSheet() {
  const index = stage.show.frames[stepNow()];
  if (index === followed) return;
  followed = index;
  if (!state.playing || !at("sheet")) setSheet(stage.crate.document.frames[index].sheet);
}

let lastKey = "";
/** Describes the shown frame and its findings. */
function tellStep() {
  const { show } = stage, step = stepNow(), index = show.frames[step], other = otherOf(stage);
  const key = [show.name, step, stage.version, state.against, state.compared].join();
  if (key === lastKey) return;
  lastKey = key;
  const frame = stage.crate.document.frames[index], pace = show.still ? "" : ` · ${paceText(show)} · ${loopText(show)}`;
  at("now").textContent = `step ${step + 1} of ${show.frames.length} · ${index} ${shown(frame.name)}${show.still ? "" : ` · ${holdText(show, step)}`}`;
  at("title").textContent = `${shown(show.name)}${pace}`;
  at("found").textContent = (foundOn.get(frame.name) ?? []).map((finding) => finding.what).join(" · ");
  at("other").hidden = at("difference").hidden = true;
  if (!other) return;
  const [kind, name] = splitAt(state.against);
  at("other").hidden = false;
  at("other").textContent = kind === "before" ? "before" : shown(name);
  at("difference").hidden = state.compared !== "difference";
}

/** Updates the controls from the state. */
function tellControls() {
  for (const control of document.querySelectorAll("[data-sets]")) {
    const value = state[control.dataset.sets];
    if (control.type === "checkbox") control.checked = value;
    else if (control.type === "radio") control.checked = control.value === String(value);
    else if (control !== document.activeElement || control.tagName === "SELECT") {
      const text = control.dataset.times ? String(Math.round(value * control.dataset.times)) : value === 0 && control.placeholder ? "" : String(value ?? "");
      if (control.value !== text) control.value = text;
    }
  }
  at("zoomed").textContent = zoomText(stage.view.zoom);
  at("speed-value").textContent = `${Math.round(state.speed * 100)}%`;
  at("cut").hidden = !(otherOf(stage) && state.compared === "slider");
  at("measure").setAttribute("aria-pressed", state.tool === "measure");
  at("whole").disabled = !state.range;
  at("stage").classList.toggle("measuring", state.tool === "measure");
}

/** Puts the named show on the stage, or the first if none has the name. Keeps all state except the time. */
function putOnStage(crate, name, keep = false) {
  stage.crate = crate;
  const found = crate.shows.find((show) => show.name === name) ?? crate.shows[0] ?? null;
  if (!keep || !found || found.frames.length !== stage.show?.frames.length) state.range = null;
  stage.show = found;
  if (!keep) state.time = 0;
  if (found) {
    stage.room = roomOf(crate, found);
    setLine();
  }
  if (reel.of !== crate.document) {
    reel.of = crate.document;
    setReel();
  } else markReel();
  if (keep) return;
  state.ruler = state.cursor = null;
  if (found && !isInSight(stage.room)) stage.placed = false;
}

function choose(name) {
  putOnStage(stage.crate, name);
  show();
}

/** Shows the crate in a skin once its images are loaded. */
async function wear(skin) {
  state.skin = skin;
  const skinned = await inSkin(now, skin);
  cratesBySkin.set(skin, skinned);
  if (skin !== state.skin) return; // the user has chosen another skin meanwhile
  putOnStage(skinned, stage.show?.name, true);
  show();
}

/** Prepares the other side of the comparison. */
async function prepareOther() {
  const [kind, name] = splitAt(state.against);
  if (kind === "skin" && !cratesBySkin.has(name)) cratesBySkin.set(name, await inSkin(now, name));
  if (kind === "before" && before && !cratesBySkin.has("/before")) cratesBySkin.set("/before", await inSkin(before, ""));
  lastKey = "";
  show();
}

function setPlaying(playing) {
  state.playing = playing;
  const label = playing ? "Pause" : "Play";
  at("play").dataset.is = playing ? "playing" : "paused";
  at("play").setAttribute("aria-label", label);
  at("play").title = `${label} (space)`;
}

/** Moves by a number of steps of a turn, and stops. */
function moveBy(steps) {
  setPlaying(false);
  line.follows = true;
  const animation = played(stage.show), turn = turnOf(animation), place = placeAt(animation, turn, state.time);
  state.time = turn[(place + steps + turn.length) % turn.length].start;
  show();
}

let last = 0;
function tick(moment) {
  const passed = Math.min(moment - last, 250);
  if (state.playing) state.time += passed * state.speed;
  if (!reel.rests) reel.clock += passed;
  show();
  last = moment;
  requestAnimationFrame(tick);
}

let written = "", writing = 0;
/** Keeps the address in step with the view. */
function writeAddress() {
  const text = addressNow();
  if (text === written) return;
  written = text;
  clearTimeout(writing);
  writing = setTimeout(() => history.replaceState(null, "", `#${written}`), 250);
}

function addressNow() {
  const address = new URLSearchParams();
  if (shownTemplate) address.set("crate", shownTemplate.dataset.crate);
  if (stage.show) address.set(stage.show.still ? "still" : "animation", stage.show.name);
  if (!state.playing && stage.show) address.set("step", stepNow() + 1);
  if (state.zoom !== "fit" && stage.placed) address.set("at", artInTheMiddle().join());
  for (const key of IN_ADDRESS) {
    const value = key === "range" ? state.range?.map((step) => step + 1).join("-") ?? null : state[key];
    if (value !== AT_FIRST[key]) address.set(key, value);
  }
  return address.toString();
}

/** Reads the state from the address; ignores invalid values. */
async function readAddress() {
  const address = new URLSearchParams(location.hash.slice(1)), number = (key, least, most) => {
    const value = Number(address.get(key));
    return Number.isFinite(value) && value >= least && value <= most ? value : null;
  };
  for (const key of IN_ADDRESS) if (key !== "range") state[key] = AT_FIRST[key];
  for (const key of ["pivot", "shapes", "canvas", "path", "mirrored"]) state[key] = address.get(key) === "true";
  for (const [key, among] of Object.entries({ guide: ["line", "rosette"], smooth: ["smooth", "crisp"], backdrop: ["light", "dark", "own"], compared: ["slider", "difference"], inStep: ["step"] })) {
    if (among.includes(address.get(key))) state[key] = address.get(key);
  }
  state.zoom = number("zoom", 1 / 64, 32) || "fit";
  const [x, y] = (address.get("at") ?? "").split(",").map(Number);
  state.at = state.zoom !== "fit" && Math.abs(x) < 1e6 && Math.abs(y) < 1e6 ? [x, y] : null;
  stage.placed = false;
  state.onion = Math.round(number("onion", 0, 8) ?? 0);
  state.speed = number("speed", 0.05, 4) || 1;
  state.fps = number("fps", 0, 240) ?? 0;
  if (/^#[0-9a-f]{6}$/i.test(address.get("color") ?? "")) state.color = address.get("color");
  if ([...at("against").options].some((option) => option.value === address.get("against"))) state.against = address.get("against");
  const skin = address.get("skin") ?? "";
  state.skin = skinsOf(now).includes(skin) ? skin : "";
  cratesBySkin.set(state.skin, await inSkin(now, state.skin));
  putOnStage(cratesBySkin.get(state.skin), address.get("animation") ?? address.get("still"));
  const [first, end] = (address.get("range") ?? "").split("-").map(Number);
  if (stage.show && first >= 1 && end >= first && end <= stage.show.frames.length) setRange(first - 1, end - 1);
  const step = stage.show && number("step", 1, stage.show.frames.length);
  if (step) seekStep(Math.round(step) - 1);
  setPlaying(!step && !reel.rests);
  await prepareOther();
}

function listen() {
  const ask = (control) => {
    const key = control.dataset.sets;
    if (control.type === "checkbox") state[key] = control.checked;
    else if (control.type === "number" || control.type === "range") {
      const value = control.value === "" ? 0 : Number(control.value), times = Number(control.dataset.times ?? 1);
      if (Number.isFinite(value)) state[key] = Math.min(Math.max(value, control.min), control.max) / times;
      if (control.value === "" && control.placeholder) state[key] = 0;
    } else state[key] = key === "zoom" && control.value !== "fit" ? Number(control.value) : control.value;
    if (key === "color") state.backdrop = "own";
    if (key === "skin") wear(state.skin);
    if (key === "against") prepareOther();
    if (key === "fps" || key === "again") setLine();
    if (key === "sheet") state.sheet = Number(control.value);
    show();
  };
  let byPointer = false;
  document.addEventListener("pointerdown", () => { byPointer = true; }, true);
  document.addEventListener("keydown", () => { byPointer = false; }, true);
  for (const control of document.querySelectorAll("[data-sets]")) {
    control.addEventListener(["range", "number", "color"].includes(control.type) ? "input" : "change", () => ask(control));
    control.addEventListener("change", () => { if (byPointer && control.type !== "number") control.blur(); }); // so that keys control the page again
  }
  const press = { play: () => { setPlaying(!state.playing); line.follows = true; }, back: () => moveBy(-1), forward: () => moveBy(1),
    begin: () => { state.time = 0; }, nearer: () => zoomBy(1), farther: () => zoomBy(-1),
    from: () => setRange(stepNow(), state.range?.[1] ?? Infinity), until: () => setRange(state.range?.[0] ?? 0, stepNow()),
    whole: () => setRange(0, Infinity), measure: toggleMeasure, copy: copyNumbers, "sheet-fit": fitSheet };
  for (const [id, act] of Object.entries(press)) at(id).addEventListener("click", () => { act(); show(); });
  listenToStage();
  listenToLine();
  listenToReel();
  listenToSheet();
  listenToTabs();
  document.addEventListener("keydown", (event) => pressKey(event, press));
  document.addEventListener("click", (event) => {
    for (const fold of document.querySelectorAll(".tools details[open]")) if (!fold.contains(event.target)) fold.open = false;
  });
  window.addEventListener("hashchange", async () => {
    if (location.hash.slice(1) === written) return;
    if (isOtherCrate()) return location.reload();
    await readAddress();
    show();
  });
  for (const button of document.querySelectorAll("[data-frame]")) {
    button.addEventListener("click", () => goTo(button.dataset.frame, button.dataset.animation));
  }
}

function zoomBy(by) {
  const { width, height } = at("stage");
  const next = nextZoom(stage.view.zoom, by);
  stage.view = zoomedAt(stage.view, next, { x: width / 2, y: height / 2 });
  state.zoom = next;
}

function toggleMeasure() {
  state.tool = state.tool === "measure" ? "pan" : "measure";
  state.ruler = state.cursor = null;
}

function listenToStage() {
  const canvas = at("stage");
  makeMovable(canvas, {
    view: () => stage.view,
    look: (view) => { stage.view = view; state.zoom = view.zoom; show(); },
    fit: () => { state.zoom = "fit"; show(); },
    point: (place) => { state.pointed = place; tellPointed(); },
    click: () => { state.ruler = null; show(); },
    drag: (from, to) => {
      if (state.tool !== "measure") return false;
      state.ruler = { from: cornerAt(from), to: cornerAt(to) };
      state.pointed = to;
      tellPointed();
      show();
      return true;
    },
  });
  canvas.addEventListener("keydown", (event) => {
    const move = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (state.tool === "measure" && move) {
      const far = event.shiftKey ? 10 : 1, { x, y } = state.cursor ?? { x: 0, y: 0 };
      state.cursor = { x: x + move[0] * far, y: y + move[1] * far };
      pointWithKeys();
    } else if (state.tool === "measure" && event.key === "Enter" && state.cursor) {
      state.ruler = { from: { ...state.cursor, pane: 0 }, to: { ...state.cursor } };
      pointWithKeys();
    } else if (event.shiftKey && move) {
      state.zoom = stage.view.zoom;
      stage.view = { ...stage.view, x: stage.view.x - move[0] * 40 * dense(), y: stage.view.y - move[1] * 40 * dense() };
    } else return;
    event.preventDefault();
    event.stopPropagation();
    show();
  });
}

/** Points at the pixel under the keyboard cursor; a started ruler reaches to it. */
function pointWithKeys() {
  const scale = grain(stage.view.zoom), { x, y } = state.cursor, [pane] = panesOf(at("stage").width);
  if (state.ruler) state.ruler = { ...state.ruler, to: { x, y } };
  state.pointed = { x: pane.x + (state.mirrored ? -x - 0.5 : x + 0.5) * scale, y: pane.y + (y + 0.5) * scale };
  tellPointed();
}

function pressKey(event, press) {
  if (event.ctrlKey || event.altKey || event.metaKey) return;
  if (event.key === "Escape") closeFolds();
  const { tagName, type } = event.target;
  if (tagName === "INPUT" && !["checkbox", "radio"].includes(type) || tagName === "SELECT" || tagName === "SUMMARY") return;
  if (event.key === " " && (tagName === "BUTTON" || tagName === "INPUT" || tagName === "A")) return;
  const turn = (key) => { state[key] = !state[key]; };
  const choice = (key, among) => { state[key] = among[(among.indexOf(state[key]) + 1) % among.length]; };
  const keys = {
    " ": press.play, ArrowLeft: press.back, ArrowRight: press.forward, Home: () => seekAndStop(0), End: () => seekAndStop(Infinity),
    ArrowUp: () => choose(neighbor(-1).show.name), ArrowDown: () => choose(neighbor(1).show.name),
    "+": press.nearer, "-": press.farther, "0": () => { state.zoom = "fit"; }, "[": press.from, "]": press.until, "\\": press.whole,
    o: () => { state.onion = state.onion ? 0 : 2; }, g: () => choice("guide", ["", "line", "rosette"]), p: () => turn("pivot"),
    s: () => turn("shapes"), c: () => turn("canvas"), w: () => turn("path"), m: () => turn("mirrored"), b: () => turn("boxes"),
    n: () => turn("names"), r: press.measure, "/": () => at("filter").focus(), "?": () => { at("help").open = !at("help").open; },
    Escape: () => { state.ruler = null; },
  };
  const act = keys[event.key.length === 1 ? event.key.toLowerCase() : event.key];
  if (!act || !stage.show) return;
  event.preventDefault();
  act();
  show();
}

/** Closes the open panel, and returns the focus to its heading. */
function closeFolds() {
  for (const fold of document.querySelectorAll(".fold[open]")) {
    if (fold.contains(document.activeElement)) fold.querySelector("summary").focus();
    fold.open = false;
  }
}

function seekAndStop(step) {
  setPlaying(false);
  seekStep(Math.min(step, stage.show.frames.length - 1));
}

/** Shows the frame of a finding or change, or else its animation. */
function goTo(frame, animation) {
  const index = stage.crate.document.frames.findIndex((entry) => entry.name === frame);
  at("stage").scrollIntoView({ block: "nearest" });
  if (index >= 0) {
    const of = stage.crate.owners[index].find(({ show }) => show.name === animation);
    if (of && of.show !== stage.show) choose(of.show.name);
    showFrame(index);
  } else if (stage.crate.shows.some((show) => show.name === animation)) {
    choose(animation);
    setPlaying(true);
  }
}

function listenToTabs() {
  const tabs = [...document.querySelectorAll("[role=tab]")];
  const open = (tab) => {
    for (const other of tabs) {
      const isIt = other === tab;
      other.setAttribute("aria-selected", isIt);
      other.tabIndex = isIt ? 0 : -1;
      at(other.getAttribute("aria-controls")).hidden = !isIt;
    }
    numbers.shownKey = "";
    show();
  };
  tabs.forEach((tab, place) => {
    tab.addEventListener("click", () => open(tab));
    tab.addEventListener("keydown", (event) => {
      const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
      if (!by) return;
      event.preventDefault();
      event.stopPropagation();
      const next = tabs[(place + by + tabs.length) % tabs.length];
      open(next);
      next.focus();
    });
  });
}

function fillChoices() {
  const option = (value, text) => new Option(text, value);
  for (const zoom of ZOOMS) at("zoom").append(option(zoom, zoomText(zoom)));
  const against = at("against"), group = (label, options) => {
    if (!options.length) return;
    const element = document.createElement("optgroup");
    element.label = label;
    element.append(...options);
    against.append(element);
  };
  if (before) against.append(option("before:", "what it was before"));
  group("skins", ["", ...skinsOf(now)].filter((_, __, all) => all.length > 1).map((skin) => option(`skin:${skin}`, shown(skin) || "its own art")));
  group("animations", now.shows.filter((show) => !show.still).map((show) => option(`animation:${show.name}`, shown(show.name))));
}

async function start() {
  reel.rests = matchMedia("(prefers-reduced-motion: reduce)").matches;
  fillChoices();
  listen();
  if (before && !location.hash) Object.assign(state, { against: "before:" });
  if (before) AT_FIRST.against = "before:";
  cratesBySkin.set("", await inSkin(now, ""));
  await readAddress();
  new ResizeObserver(() => show()).observe(at("stage"));
  window.lightTable = { state, stage, line, board, reel, numbers, show, choose, seekStep, setPlaying, setRange, stepNow, standOf, pixelsOf, inkOf };
  listenToBuilds();
  requestAnimationFrame((moment) => { last = moment; tick(moment); });
}

start();
