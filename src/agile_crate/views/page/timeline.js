// The time line: a block for each step of a turn, as wide as its time. Dragging scrubs; the handles set the loop range.

const LEAST_BLOCK = 18, MOST_BLOCK = 200, RULER = 16, LANE = 52;

/** The time line's state: the turn of the whole show, pixels per millisecond, and the scroll position. */
const line = { turn: [], scale: 1, from: 0, painted: "", held: "", follows: true };

function setLine() {
  line.turn = turnOf(asPlayed(stage.show, { fps: state.fps, again: state.again }));
  line.painted = "";
  measureLine();
}

function measureLine() {
  const width = at("line").clientWidth - 2, length = lengthOf(line.turn);
  const shortest = Math.min(...line.turn.map((span) => span.length));
  line.scale = Math.min(Math.max(width / length, LEAST_BLOCK / shortest), Math.max(MOST_BLOCK / shortest, 1e-9), 30000 / length);
  line.from = Math.min(line.from, Math.max(0, length * line.scale - width));
}

/** Returns the shown time within the whole turn. */
function timeOnLine() {
  if (!state.range) {
    const length = lengthOf(line.turn), show = played(stage.show);
    if (show.loop === "once" && state.time >= length * Math.max(1, show.times ?? 0)) return length;
    return ((state.time % length) + length) % length;
  }
  const turn = turnOf(played(stage.show)), place = placeAt(played(stage.show), turn, state.time), length = lengthOf(turn);
  const span = turn[place], step = span.step + state.range[0];
  const within = Math.min(span.length, (((state.time % length) + length) % length) - span.start);
  const whole = line.turn.find((other) => other.step === step && other.back === span.back) ?? line.turn.find((other) => other.step === step);
  return whole.start + within;
}

function paintLine() {
  if (!stage.show) return;
  const canvas = at("lanes");
  if (fillRoom(canvas)) measureLine();
  const time = timeOnLine(), width = at("line").clientWidth - 2, head = time * line.scale - line.from;
  if (state.playing && line.follows && !line.held && (head < 0 || head > width)) line.from = Math.max(0, Math.min(time * line.scale - 30, lengthOf(line.turn) * line.scale - width));
  at("head").style.transform = `translateX(${Math.round(time * line.scale - line.from)}px)`;
  placeHandles();
  tellSlider();
  const look = JSON.stringify([canvas.width, canvas.height, stage.crate.skin, stage.show.name, stage.version, state.fps, state.range, line.scale, line.from, [...changed.keys()]]);
  if (look === line.painted) return;
  line.painted = look;
  const context = canvas.getContext("2d"), unit = dense();
  context.setTransform(unit, 0, 0, unit, -line.from * unit, 0);
  context.clearRect(line.from, 0, width + 2, canvas.height);
  context.font = `10px ${hue("letters")}`;
  const usual = usualLength();
  line.turn.forEach((span, place) => {
    const x = span.start * line.scale, w = span.length * line.scale;
    if (x + w > line.from && x < line.from + width) paintBlock(context, span, place, x, w, usual);
  });
  if (line.turn.some((span) => span.back)) paintTurning(context);
  if (stage.show.still) return;
  const sign = { forever: "↻", once: stage.show.times > 1 ? `×${stage.show.times}` : "⇥", "back-and-forth": "⇄" }[stage.show.loop];
  context.fillStyle = hue("accent-text");
  context.font = `13px ${hue("letters")}`;
  context.textAlign = "right";
  context.fillText(sign, lengthOf(line.turn) * line.scale - 4, RULER - 3);
  context.textAlign = "left";
}

/** Returns the most frequent length of a step. */
function usualLength() {
  const counts = new Map();
  for (const { length } of line.turn) counts.set(length, (counts.get(length) ?? 0) + 1);
  return [...counts].sort((a, b) => b[1] - a[1] || a[0] - b[0])[0][0];
}

function paintBlock(context, span, place, x, w, usual) {
  const index = stage.show.frames[span.step], frame = stage.crate.document.frames[index];
  const isOut = state.range && (span.step < state.range[0] || span.step > state.range[1]);
  context.save();
  context.beginPath();
  context.roundRect(x + 0.5, RULER, Math.max(1, w - 1), LANE, 3);
  context.fillStyle = hue(span.back ? "lane-back" : "lane");
  context.fill();
  context.clip();
  context.globalAlpha = isOut ? 0.3 : span.back ? 0.55 : 1;
  const room = stage.room, broad = Math.max(usual * line.scale, LANE) - 4; // pictures have one size, whatever their time
  const scale = Math.min((LANE - 4) / (room.top + room.bottom), broad / (room.left + room.right), 4);
  context.imageSmoothingEnabled = scale < 1 || isPainted(stage.crate, stage.show);
  const across = (room.left - room.right) / 2 * scale, down = (room.top - room.bottom) / 2 * scale;
  draw(context, stage.crate, frame, across + x + w / 2, down + RULER + LANE / 2, scale);
  context.restore();
  context.globalAlpha = isOut ? 0.4 : 1;
  const found = foundOn.get(frame.name);
  if (found) {
    context.fillStyle = hue(found[0].severity);
    context.fillRect(x + 1, RULER, Math.max(1, w - 2), 4);
  }
  if (changed.has(index) || differs.has(frame.name)) {
    context.fillStyle = hue(changed.has(index) ? "flash" : "accent");
    context.fillRect(x + 1, RULER + LANE - 4, Math.max(1, w - 2), 4);
  }
  context.fillStyle = hue("faint");
  const number = String(span.step + 1);
  if (w > context.measureText(number).width + 4) context.fillText(number, x + 3, RULER - 4);
  const held = span.length / usual;
  if (held > 1.4) {
    const text = `×${Number(held.toFixed(1))}`, room = context.measureText(text).width + 6;
    context.fillStyle = hue("paper");
    context.fillRect(x + w - room - 2, RULER + LANE - 15, room, 13);
    context.fillStyle = hue("ink");
    context.fillText(text, x + w - room + 1, RULER + LANE - 5);
  }
  context.globalAlpha = 1;
}

/** Marks the turning point of back and forth. */
function paintTurning(context) {
  const x = line.turn.find((span) => span.back).start * line.scale;
  context.strokeStyle = context.fillStyle = hue("accent");
  context.lineWidth = 1.5;
  context.beginPath();
  context.moveTo(x - 12, 3);
  context.arc(x - 6, 7, 4, -Math.PI / 2, Math.PI / 2);
  context.lineTo(x - 12, 11);
  context.stroke();
  context.beginPath();
  context.moveTo(x - 11, 8);
  context.lineTo(x - 16, 11);
  context.lineTo(x - 11, 14);
  context.fill();
}

/** Draws the handles of the loop range, at its ends on the way forward. */
function placeHandles() {
  const [first, last] = state.range ?? [0, stage.show.frames.length - 1], forth = line.turn.filter((span) => !span.back);
  const ends = { first: forth[first].start, last: forth[last].start + forth[last].length };
  for (const [end, time] of Object.entries(ends)) at(end).style.transform = `translateX(${Math.round(time * line.scale - line.from)}px)`;
  at("first").setAttribute("aria-valuenow", first + 1);
  at("last").setAttribute("aria-valuenow", last + 1);
  for (const end of ["first", "last"]) at(end).setAttribute("aria-valuemax", stage.show.frames.length);
}

function tellSlider() {
  const slider = at("line"), step = stepNow();
  slider.setAttribute("aria-valuemax", stage.show.frames.length);
  slider.setAttribute("aria-valuenow", step + 1);
  slider.setAttribute("aria-valuetext", `step ${step + 1} of ${stage.show.frames.length}`);
}

/** Returns the span at a place of the time line. */
function spanAt(x) {
  const time = (x + line.from) / line.scale;
  return line.turn.findLast((span) => span.start <= time) ?? line.turn[0];
}

/** Shows a moment of the whole turn, or the nearest one in the loop range. */
function seek(span) {
  if (!state.range) {
    state.time = span.start;
    return;
  }
  const step = Math.min(Math.max(span.step, state.range[0]), state.range[1]) - state.range[0];
  const turn = turnOf(played(stage.show));
  state.time = (turn.find((other) => other.step === step && other.back === span.back) ?? turn.find((other) => other.step === step)).start;
}

/** Shows a step of the show. */
function seekStep(step) {
  seek(line.turn.find((span) => span.step === step));
}

/** Sets the loop range; the whole animation counts as none. */
function setRange(first, last) {
  const step = stepNow(), most = stage.show.frames.length - 1;
  first = Math.min(Math.max(first, 0), most);
  last = Math.min(Math.max(last, 0), most);
  state.range = first === 0 && last === most ? null : [Math.min(first, last), Math.max(first, last)];
  seekStep(step);
  line.painted = "";
}

function listenToLine() {
  const slider = at("line"), across = (event) => event.clientX - slider.getBoundingClientRect().left - 1;
  const holds = (element, held, move) => {
    element.addEventListener("pointerdown", (event) => {
      if (event.button > 0) return;
      element.setPointerCapture(event.pointerId);
      line.held = held;
      move(across(event));
    });
    element.addEventListener("pointermove", (event) => { if (line.held === held) move(across(event)); });
    for (const kind of ["pointerup", "pointercancel"]) element.addEventListener(kind, () => { line.held = ""; });
  };
  holds(slider, "head", scrub);
  for (const end of ["first", "last"]) holds(at(end), end, (x) => dragHandle(end, x));
  slider.addEventListener("wheel", (event) => {
    const most = Math.max(0, lengthOf(line.turn) * line.scale - slider.clientWidth + 2);
    if (!most) return;
    event.preventDefault();
    line.from = Math.min(most, Math.max(0, line.from + event.deltaX + event.deltaY));
    line.follows = false;
    show();
  }, { passive: false });
  for (const [end, by] of [["first", 0], ["last", 1]]) {
    at(end).addEventListener("keydown", (event) => {
      const step = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key];
      if (!step) return;
      event.preventDefault();
      event.stopPropagation();
      const range = [...(state.range ?? [0, stage.show.frames.length - 1])];
      range[by] += step;
      if (range[0] <= range[1]) setRange(...range);
      show();
    });
  }
}

function scrub(x) {
  setPlaying(false);
  line.follows = true;
  seek(spanAt(x));
  show();
}

function dragHandle(end, x) {
  const [first, last] = state.range ?? [0, stage.show.frames.length - 1], { step } = spanAt(x);
  if (end === "first") setRange(Math.min(step, last), last);
  else setRange(first, Math.max(step, first));
  show();
}
