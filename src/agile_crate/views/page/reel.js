// The reel: every animation as a small picture, which plays while it is in view.

const THUMB = 60, reel = { items: [], clock: 0 };

const watcher = new IntersectionObserver((entries) => {
  for (const { target, isIntersecting } of entries) target.item.seen = isIntersecting;
}, { rootMargin: "40px" });

function setReel() {
  watcher.disconnect();
  reel.items = stage.crate.shows.map((show) => {
    const button = document.createElement("button"), text = document.createElement("span"), name = document.createElement("b");
    const canvas = document.createElement("canvas"), about = document.createElement("small");
    canvas.width = canvas.height = THUMB * Math.min(2, Math.ceil(dense()));
    for (const part of shown(show.name).split(/(?<=[/_ -])/)) name.append(part, document.createElement("wbr"));
    about.textContent = show.still ? "still" : `${counted(show.frames.length, "frame")}, ${secondsText(lengthOf(turnOf(show)), 2)}`;
    const dots = dotsOf(show).map(([kind, title]) => {
      const dot = document.createElement("i");
      dot.style.background = `var(--${kind})`;
      dot.title = title;
      return dot;
    });
    name.append(...dots);
    text.append(name, about);
    button.append(canvas, text);
    button.tabIndex = -1;
    const item = { show, button, canvas, seen: false, painted: "" };
    button.item = item;
    button.addEventListener("click", () => { choose(show.name); });
    watcher.observe(button);
    return item;
  });
  at("reel").replaceChildren(...reel.items.map((item) => item.button));
  filterReel();
  markReel();
}

/** Returns the badges of a show: its findings, and its changes. */
function dotsOf(show) {
  const names = show.frames.map((index) => stage.crate.document.frames[index].name), dots = [];
  const found = names.flatMap((name) => foundOn.get(name) ?? []), worst = ["error", "warning", "note"].find((severity) => found.some((finding) => finding.severity === severity));
  if (worst) dots.push([worst, found[0].what]);
  if (differs.has(show.name) || names.some((name) => differs.has(name))) dots.push(["accent", "not as it was before"]);
  return dots;
}

function filterReel() {
  const sought = at("filter").value.toLowerCase();
  let count = 0;
  for (const { show, button } of reel.items) {
    button.hidden = !shown(show.name).toLowerCase().includes(sought);
    count += !button.hidden;
  }
  at("none").hidden = count > 0;
  at("reel-count").textContent = sought ? `${grouped(count)} of ${grouped(reel.items.length)}` : "";
}

/** Marks the show on the stage. Only it takes the tab key; the arrow keys reach the others. */
function markReel() {
  for (const { show, button } of reel.items) {
    const isIt = show === stage.show;
    button.tabIndex = isIt ? 0 : -1;
    if (isIt) button.setAttribute("aria-current", "true");
    else button.removeAttribute("aria-current");
  }
  const button = reel.items.find((item) => item.show === stage.show)?.button;
  if (!button) return;
  const list = at("reel"), outer = list.getBoundingClientRect(), inner = button.getBoundingClientRect();
  if (inner.top < outer.top || inner.bottom > outer.bottom) list.scrollTop += inner.top - outer.top - (outer.height - inner.height) / 2;
  if (inner.left < outer.left || inner.right > outer.right) list.scrollLeft += inner.left - outer.left - (outer.width - inner.width) / 2;
}

/** Paints the shows in view, each at its own step. */
function paintReel() {
  const end = performance.now() + 6;
  for (const item of reel.items) {
    if (!item.seen || item.button.hidden) continue;
    if (performance.now() > end) return; // the rest follow with the next picture
    const { show, canvas } = item, step = stepAt(asPlayed(show, { fps: 0, again: true }), reel.clock);
    const look = `${step} ${stage.crate.skin} ${stage.version}`;
    if (look === item.painted) continue;
    item.painted = look;
    const room = roomOf(stage.crate, show);
    const context = canvas.getContext("2d"), side = canvas.width;
    const fit = Math.min(side / Math.max(1, room.left + room.right), side / Math.max(1, room.top + room.bottom));
    const scale = fit >= 1 ? Math.min(8, Math.floor(fit)) : fit;
    context.clearRect(0, 0, side, side);
    context.imageSmoothingEnabled = scale < 1;
    const x = side / 2 + (room.left - room.right) / 2 * scale, y = side / 2 + (room.top - room.bottom) / 2 * scale;
    draw(context, stage.crate, stage.crate.document.frames[show.frames[step]], x, y, scale);
  }
}

/** Returns the next show of the reel that passes the filter. */
function neighbor(by) {
  const visible = reel.items.filter((item) => !item.button.hidden), place = visible.findIndex((item) => item.show === stage.show);
  return visible[(place + by + visible.length) % visible.length];
}

function listenToReel() {
  at("filter").addEventListener("input", filterReel);
  at("filter").addEventListener("keydown", (event) => {
    if (event.key !== "Enter") return;
    const first = reel.items.find((item) => !item.button.hidden);
    if (first) choose(first.show.name);
  });
  at("reel").addEventListener("keydown", (event) => {
    const by = { ArrowDown: 1, ArrowRight: 1, ArrowUp: -1, ArrowLeft: -1 }[event.key], next = by && neighbor(by);
    if (!next) return;
    event.preventDefault();
    event.stopPropagation();
    choose(next.show.name);
    next.button.focus();
  });
}
