// The player. `draw` and `stepAt` above are the reader's: what plays here is what a game shows.

const document_ = JSON.parse(document.getElementById("crate").textContent);
const at = (id) => document.getElementById(id);
const named = new Map(document_.animations.map((one) => [one.name, one]));
const crate = { document: document_, images: [], frames: new Map(), animations: named };
const BEFORE = "235, 110, 20", AFTER = "30, 90, 220", GROUND = "#c8283c";
const state = { playing: true, time: 0, speed: 1, fps: 0, loop: true, onion: 0, strength: 0.5, zoom: 1, backdrop: "checker" };
Object.assign(state, { color: "#3a7ca5", ground: false, pivot: false, mirrored: false, all: false, name: "", second: "", sheet: 0, skin: "" });

/** A name with nothing in it that could turn the text round or hide some of it. */
function shown(name) {
  return name.replace(/[\p{C}\p{Zl}\p{Zp}]/gu, (c) => `\\u${c.codePointAt(0).toString(16).padStart(4, "0")}`);
}

/** The order of one turn, as positions in the animation's lists. */
function turnOf(one) {
  const steps = one.frames.map((_, index) => index);
  return one.loop === "back-and-forth" ? steps.concat(steps.slice(1, -1).reverse()) : steps;
}

/** The animation at the pace and loop that are asked for. */
function asPlayed(one) {
  const pace = state.fps > 0 ? { fps: [state.fps, 1], beats: one.durations.map(() => 1) } : {};
  return { ...one, ...pace, loop: one.loop === "once" && state.loop ? "forever" : one.loop };
}

/** How long each frame is shown, in exact milliseconds. */
function timesOf({ durations, fps, beats }) {
  return beats ? beats.map((count) => count * 1000 * fps[1] / fps[0]) : durations;
}

/** Room for all canvases of an animation with their pivots on one point: width, height, and that point. */
function roomOf(one) {
  const sides = { left: 0, top: 0, right: 1, bottom: 1 };
  for (const index of one.frames) {
    const { canvas, pivot } = document_.frames[index];
    sides.left = Math.max(sides.left, Math.ceil(pivot[0]));
    sides.top = Math.max(sides.top, Math.ceil(pivot[1]));
    sides.right = Math.max(sides.right, Math.ceil(canvas[0] - pivot[0]));
    sides.bottom = Math.max(sides.bottom, Math.ceil(canvas[1] - pivot[1]), 3);
  }
  return { w: sides.left + sides.right, h: sides.top + sides.bottom, x: sides.left, y: sides.top };
}

function paintGround(context, width, height) {
  if (state.backdrop === "checker") {
    for (let y = 0; y < height; y += 8) {
      for (let x = 0; x < width; x += 8) {
        context.fillStyle = (x + y) / 8 % 2 ? "#d9dde4" : "#ffffff";
        context.fillRect(x, y, 8, 8);
      }
    }
    return;
  }
  context.fillStyle = { light: "#f4f4f0", dark: "#20242c", own: state.color }[state.backdrop];
  context.fillRect(0, 0, width, height);
}

class Stage {
  constructor(name) {
    this.animation = named.get(name);
    this.room = roomOf(this.animation);
    this.figure = document.createElement("figure");
    this.canvas = document.createElement("canvas");
    this.canvas.setAttribute("role", "img");
    this.canvas.setAttribute("aria-label", `${shown(name)}, playing`);
    const caption = document.createElement("figcaption");
    caption.textContent = shown(name);
    this.figure.append(this.canvas, caption);
    this.seen = true;
    this.last = "";
  }

  /** The position in the animation's lists at the player's time. */
  step() {
    return stepAt(asPlayed(this.animation), state.time);
  }

  paint() {
    const step = this.step();
    const look = [step, state.skin, state.zoom, state.backdrop, state.color, state.ground, state.pivot, state.mirrored, state.onion, state.strength].join();
    if (look === this.last) return;
    this.last = look;
    const { w, h, x, y } = this.room, zoom = state.zoom, frames = this.animation.frames;
    if (this.canvas.width !== w * zoom || this.canvas.height !== h * zoom) {
      this.canvas.width = w * zoom;
      this.canvas.height = h * zoom;
    }
    const context = this.canvas.getContext("2d");
    context.setTransform(1, 0, 0, 1, 0, 0);
    paintGround(context, w * zoom, h * zoom);
    context.imageSmoothingEnabled = false;
    if (state.mirrored) context.setTransform(-1, 0, 0, 1, 2 * x * zoom, 0);
    if (state.ground) {
      context.fillStyle = GROUND;
      context.fillRect(-w * zoom, y * zoom, 4 * w * zoom, 1);
    }
    for (let away = state.onion; away > 0; away--) {
      context.globalAlpha = state.strength * (state.onion + 1 - away) / state.onion;
      for (const [other, tint] of [[step - away, BEFORE], [step + away, AFTER]]) {
        if (frames[other] !== undefined) context.drawImage(this.tinted(frames[other], tint), 0, 0);
      }
      context.globalAlpha = 1;
    }
    draw(context, crate, document_.frames[frames[step]], x * zoom, y * zoom, zoom);
    if (state.pivot) {
      context.setTransform(1, 0, 0, 1, 0, 0);
      for (const [reach, width, color] of [[6, 3, "#fafaf8"], [5, 1, "#14181f"]]) {
        context.fillStyle = color;
        context.fillRect(x * zoom - reach, y * zoom - (width >> 1), 2 * reach + 1, width);
        context.fillRect(x * zoom - (width >> 1), y * zoom - reach, width, 2 * reach + 1);
      }
    }
  }

  tinted(index, tint) {
    const { w, h, x, y } = this.room;
    const skin = new OffscreenCanvas(w * state.zoom, h * state.zoom);
    const context = skin.getContext("2d");
    context.imageSmoothingEnabled = false;
    draw(context, crate, document_.frames[index], x * state.zoom, y * state.zoom, state.zoom);
    context.globalCompositeOperation = "source-atop";
    context.fillStyle = `rgb(${tint}, 0.75)`;
    context.fillRect(0, 0, skin.width, skin.height);
    return skin;
  }
}

/** What a survey found, by the names of frames. */
const foundOn = new Map();
for (const { frames, what } of document_.findings) {
  for (const name of frames) foundOn.set(name, [...(foundOn.get(name) ?? []), what]);
}

/** Shows the frame, or else the animation, that a finding is about, and the stage with it. */
function goTo({ frames, sequence }) {
  at("stages").scrollIntoView({ block: "nearest" });
  const index = document_.frames.findIndex((one) => one.name === frames[0]);
  const one = document_.animations.find((animation) => animation.frames.includes(index)) ?? named.get(sequence);
  if (!one) return mark(Math.max(index, 0));
  state.name = at("animation").value = one.name;
  state.time = 0;
  setStages();
  if (index < 0) return setPlaying(true);
  setPlaying(false);
  state.time = timesOf(asPlayed(one)).slice(0, one.frames.indexOf(index)).reduce((sum, time) => sum + time, 0);
  show();
}

let stages = [];
const watcher = new IntersectionObserver((entries) => {
  for (const entry of entries) entry.target.stage.seen = entry.isIntersecting;
});

function setStages() {
  watcher.disconnect();
  const names = state.all ? [...named.keys()] : [state.name, state.second].filter((name) => named.has(name));
  stages = names.map((name) => new Stage(name));
  for (const stage of stages) {
    stage.figure.stage = stage;
    watcher.observe(stage.figure);
  }
  at("stages").replaceChildren(...stages.map((stage) => stage.figure));
  show();
}

/** Paints what can be seen now. */
function show() {
  for (const stage of stages) if (stage.seen) stage.paint();
  const stage = stages.find((one) => one.animation.name === state.name) ?? stages[0];
  if (!stage) return;
  const step = stage.step(), index = stage.animation.frames[step], lies = document_.frames[index].sheet;
  at("now").textContent = `step ${step + 1} of ${stage.animation.frames.length}: ${told(index)}, ${stage.animation.durations[step]} ms`;
  const said = foundOn.get(document_.frames[index].name) ?? [];
  at("found").textContent = said.join(" · ");
  if (lies !== state.sheet && at("sheet") === null) state.sheet = lies;
  mark(index);
}

function told(index) {
  const frame = document_.frames[index];
  const turned = frame.turned ? ", turned" : "", mirror = frame.mirror ? `, mirrored ${frame.mirror}` : "";
  return `${index} ${shown(frame.name)}: box ${frame.box.join(" ")}${turned}${mirror}, canvas ${frame.canvas.join(" × ")}, ` +
    `offset ${frame.offset.join(" ")}, pivot ${frame.pivot.join(" ")}`;
}

let drawn = -1;
/** Draws the sheet if another one is wanted, and puts the mark round a frame on it. */
function mark(index) {
  const board = at("board"), image = crate.images[state.sheet];
  if (!image) return;
  if (drawn !== state.sheet) {
    drawn = state.sheet;
    board.width = image.width;
    board.height = image.height;
    const context = board.getContext("2d"), side = Math.max(4, Math.round(image.width / 80));
    context.fillStyle = "#ffffff";
    context.fillRect(0, 0, image.width, image.height);
    context.fillStyle = "#d9dde4";
    for (let y = 0; y < image.height; y += side) {
      for (let x = y / side % 2 ? side : 0; x < image.width; x += 2 * side) context.fillRect(x, y, side, side);
    }
    context.drawImage(image, 0, 0);
  }
  const { sheet: lies, box: [x, y, w, h] } = document_.frames[index], style = at("mark").style;
  at("mark").hidden = lies !== state.sheet;
  style.left = `${100 * x / image.width}%`;
  style.top = `${100 * y / image.height}%`;
  style.width = `${100 * w / image.width}%`;
  style.height = `${100 * h / image.height}%`;
}

function moveBy(steps) {
  const stage = stages.find((one) => one.animation.name === state.name) ?? stages[0];
  if (!stage) return;
  setPlaying(false);
  const one = asPlayed(stage.animation), order = turnOf(one);
  const starts = [0], times = timesOf(one);
  for (const step of order) starts.push(starts[starts.length - 1] + times[step]);
  const length = starts.pop();
  const time = ((state.time % length) + length) % length;
  let place = 0;
  while (place + 1 < starts.length && starts[place + 1] <= time + 0.001) place++;
  state.time = starts[(place + steps + starts.length) % starts.length];
  show();
}

function setPlaying(playing) {
  state.playing = playing;
  at("play").textContent = playing ? "pause" : "play";
}

let before = 0;
function tick(now) {
  if (state.playing) {
    state.time += Math.min(now - before, 250) * state.speed;
    show();
  }
  before = now;
  requestAnimationFrame(tick);
}

function whole(input, least, most) {
  return Math.min(most, Math.max(least, Math.round(Number(input.value) || least)));
}

function listen() {
  const on = (id, kind, change) => at(id)?.addEventListener(kind, () => { change(at(id)); show(); });
  on("animation", "change", (input) => { state.name = input.value; state.time = 0; setStages(); });
  on("second", "change", (input) => { state.second = input.value; state.time = 0; setStages(); });
  on("all", "change", (input) => { state.all = input.checked; state.time = 0; setStages(); });
  on("loop", "change", (input) => { state.loop = input.checked; state.time = 0; });
  on("speed", "input", (input) => { state.speed = input.value / 100; at("speed-said").textContent = `${input.value}%`; });
  on("fps", "input", (input) => { state.fps = Math.max(0, Number(input.value) || 0); });
  on("onion", "input", (input) => { state.onion = whole(input, 0, 8); });
  on("strength", "input", (input) => { state.strength = input.value / 100; });
  on("zoom", "input", (input) => { state.zoom = whole(input, 1, 32); });
  on("backdrop", "change", (input) => { state.backdrop = input.value; });
  on("color", "input", (input) => { state.color = input.value; state.backdrop = at("backdrop").value = "own"; });
  for (const id of ["ground", "pivot", "mirrored"]) on(id, "change", (input) => { state[id] = input.checked; });
  at("skin")?.addEventListener("change", async () => {
    const skin = at("skin").value, images = await imagesOf(skin);
    if (skin !== at("skin").value) return; // another one was chosen meanwhile
    crate.images = images;
    state.skin = skin;
    drawn = -1;
    show();
  });
  on("sheet", "change", (input) => { state.sheet = Number(input.value); });
  at("play").addEventListener("click", () => { setPlaying(!state.playing); show(); });
  at("back").addEventListener("click", () => moveBy(-1));
  at("forward").addEventListener("click", () => moveBy(1));
  const press = (id) => at(id).click();
  const zoomBy = (by) => { at("zoom").value = whole({ value: state.zoom + by }, 1, 32); at("zoom").dispatchEvent(new Event("input")); };
  const keys = {
    " ": () => press("play"), ArrowLeft: () => moveBy(-1), ArrowRight: () => moveBy(1), "+": () => zoomBy(1), "-": () => zoomBy(-1),
    g: () => press("ground"), p: () => press("pivot"), m: () => press("mirrored"), a: () => press("all"),
    o: () => { at("onion").value = state.onion ? 0 : 2; at("onion").dispatchEvent(new Event("input")); },
  };
  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.altKey || event.metaKey || ["INPUT", "SELECT", "BUTTON"].includes(event.target.tagName)) return;
    const action = keys[event.key.length === 1 ? event.key.toLowerCase() : event.key];
    if (!action) return;
    event.preventDefault();
    action();
  });
  at("board").addEventListener("pointermove", (event) => {
    const board = at("board"), ratio = board.width / board.clientWidth;
    const x = event.offsetX * ratio, y = event.offsetY * ratio;
    const found = document_.frames.flatMap(({ sheet: lies, box: [left, top, w, h] }, index) => {
      return lies === state.sheet && x >= left && y >= top && x < left + w && y < top + h ? [told(index)] : [];
    });
    at("pointed").textContent = found.length ? found.slice(0, 4).join(" · ") : "Point at a frame to read its numbers.";
  });
  for (const button of document.querySelectorAll(".go")) {
    button.addEventListener("click", () => goTo(document_.findings[button.dataset.finding]));
  }
  for (const button of document.querySelectorAll(".copy")) {
    button.addEventListener("click", async () => {
      const rows = [...at(button.dataset.copies).rows].map((row) => [...row.cells].map((cell) => cell.textContent).join("\t"));
      const text = rows.join("\n"), said = button.textContent;
      button.dataset.copied = text;
      try { await navigator.clipboard.writeText(text); button.textContent = "copied"; } catch { button.textContent = "select and copy by hand"; }
      setTimeout(() => { button.textContent = said; }, 1500);
    });
  }
}

/** The sheets' images, in a skin or, without a name, their own. */
function imagesOf(skin) {
  return Promise.all(document_.sheets.map(async (sheet) => {
    const image = new Image();
    image.src = skin ? sheet.skins[skin].data : sheet.data;
    await image.decode();
    return image;
  }));
}

async function start() {
  crate.images = await imagesOf("");
  state.name = document_.animations[0]?.name ?? "";
  state.zoom = whole(at("zoom"), 1, 32);
  listen();
  setStages();
  if (!named.size) mark(0);
  window.player = { state, show, stages: () => stages, moveBy, setPlaying };
  requestAnimationFrame((now) => { before = now; tick(now); });
}

start();
