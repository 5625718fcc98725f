// The stage: one show, or two to compare, drawn by the reader with all pivots on one point.

/**
 * The stage's state: a crate in a skin, one of its shows, the room for its art, and the view: the pivot's place and the
 * zoom; `placed` once the view has been chosen.
 */
const stage = { crate: now, show: null, room: null, view: { zoom: 1, x: 0, y: 0 }, placed: false, version: 0, painted: "" };

/** Crates by skin name; the previous crate has a name that no skin can have. */
const cratesBySkin = new Map();

/** The height of the captions at the top, in page pixels. */
const CAPTION = 26;

const played = (show) => asPlayed(show, { fps: state.fps, range: show === stage.show ? state.range : null, again: state.again });

/** Returns the shown position in the show's whole list. */
function stepNow() {
  return stepAt(played(stage.show), state.time) + (state.range?.[0] ?? 0);
}

/** Returns the drawn shows, each with its part of the canvas and the place of its pivot, on a whole pixel. */
function panesOf(width) {
  const x = Math.round(stage.view.x), y = Math.round(stage.view.y), half = Math.round(width / 2), aside = Math.round(width / 4);
  const first = { crate: stage.crate, show: stage.show, step: stepNow(), from: 0, to: width, x, y, side: 0 };
  const other = otherOf(stage);
  if (!other) return [first];
  const second = { ...first, ...other, step: stepOfOther(other, stage, first.step), side: 1 };
  if (state.compared === "difference") return [first, { ...second, from: width }];
  const cut = Math.round(width * state.cut);
  if (state.compared === "slider") return [{ ...first, to: cut }, { ...second, from: cut }];
  return [{ ...first, to: half, x: x - aside }, { ...second, from: half, x: x + half - aside }];
}

/** Returns the room for everything shown, as distances from the pivot: visible art and marks. */
function roomShown() {
  const other = otherOf(stage), rooms = [stage.room], room = {};
  if (other) rooms.push(roomOf(other.crate, other.show));
  if (state.guide || state.pivot || state.path) rooms.push({ left: 0, top: 0, right: 0, bottom: 0 });
  if (state.canvas) {
    for (const { canvas: [w, h], pivot: [x, y] } of stage.show.frames.map((index) => stage.crate.document.frames[index])) {
      rooms.push({ left: x, top: y, right: w - x, bottom: h - y });
    }
  }
  for (const side of ["left", "top", "right", "bottom"]) room[side] = Math.max(...rooms.map((each) => each[side]));
  return state.mirrored ? { ...room, left: room.right, right: room.left } : room;
}

/** Centers the art on the stage, below the captions; without a zoom, as large as possible. */
function centerStage(zoom) {
  const { width, height } = at("stage"), { left, top, right, bottom } = roomShown();
  const halved = otherOf(stage) && state.compared === "beside" ? 2 : 1, rim = 20 * dense(), head = CAPTION * dense();
  zoom ??= fitting(width / halved - rim, height - head - rim, { w: left + right, h: top + bottom });
  const unit = grain(zoom), x = Math.round(width / 2 + (left - right) / 2 * unit);
  stage.view = { zoom, x, y: Math.round((height + head) / 2 + (top - bottom) / 2 * unit) };
}

/** Returns the wanted view: fitted, at a place of the art, or as the user moved it. */
function lookAtStage() {
  const resized = fillRoom(at("stage")), { width, height } = at("stage");
  if (state.zoom === "fit") centerStage();
  else if (state.at) {
    const unit = grain(state.zoom), [x, y] = state.at;
    stage.view = { zoom: state.zoom, x: width / 2 - x * unit, y: height / 2 - y * unit };
    state.at = null;
  } else if (!stage.placed) centerStage(state.zoom);
  else if (state.zoom !== stage.view.zoom || resized) stage.view = zoomedAt(stage.view, state.zoom, { x: width / 2, y: height / 2 });
  stage.placed = true;
}

/** Returns true if any part of a room lies within the present view. */
function isInSight({ left, top, right, bottom }) {
  const { width, height } = at("stage"), { x, y, zoom } = stage.view, unit = grain(zoom);
  return x + right * unit > 0 && x - left * unit < width && y + bottom * unit > 0 && y - top * unit < height;
}

/** Returns the place of the art, from the pivot, in the middle of the stage. */
function artInTheMiddle() {
  const { width, height } = at("stage"), { x, y } = artAt(stage.view, { x: width / 2, y: height / 2 });
  return [x, y].map((length) => Number(length.toFixed(1)));
}

function paintStage() {
  if (!stage.show) return;
  const canvas = at("stage"), { width, height } = canvas, panes = panesOf(width);
  const marks = [state.backdrop, state.color, state.onion, state.strength, state.guide, state.pivot, state.shapes, state.canvas, state.path, state.mirrored, state.smooth];
  const look = JSON.stringify([width, height, stage.view, marks, state.compared, state.cut, state.ruler, state.cursor, state.tool,
    panes.map((pane) => [pane.crate.skin, pane.show.name, pane.step, pane.from]), stage.version]);
  if (look === stage.painted) return;
  stage.painted = look;
  const context = canvas.getContext("2d", { alpha: false });
  paintBackdrop(context, width, height);
  if (panes[1] && state.compared === "difference") paintDifference(context, ...panes);
  else for (const pane of panes) paintPane(context, pane, height);
  if (panes[1] && state.compared !== "difference") {
    context.fillStyle = hue("accent");
    context.fillRect(panes[1].from - 1, 0, 2, height);
  }
  paintRuler(context);
  at("stage").setAttribute("aria-label", `${shown(stage.show.name)}, step ${panes[0].step + 1} of ${stage.show.frames.length}`);
}

function paintBackdrop(context, width, height) {
  context.setTransform(1, 0, 0, 1, 0, 0);
  context.fillStyle = { checker: () => checkerOf(context, Math.round(8 * dense())), light: () => hue("paper-light"),
    dark: () => hue("paper-dark"), own: () => state.color }[state.backdrop]();
  context.fillRect(0, 0, width, height);
}

/** Draws in the art's coordinates, with the pivot at 0, 0, mirrored if wanted. */
function onArt(context, pane, paint) {
  const scale = grain(stage.view.zoom);
  context.save();
  context.setTransform(state.mirrored ? -scale : scale, 0, 0, scale, pane.x, pane.y);
  paint(scale);
  context.restore();
}

function paintPane(context, pane, height) {
  const { crate, show, step } = pane, { frames } = show, frame = crate.document.frames[frames[step]];
  const smooth = state.smooth === "auto" ? isPainted(crate, show) : state.smooth === "smooth";
  context.save();
  context.beginPath();
  context.rect(pane.from, 0, pane.to - pane.from, height);
  context.clip();
  paintGuide(context, pane, height);
  context.imageSmoothingEnabled = smooth || stage.view.zoom < 1;
  context.imageSmoothingQuality = stage.view.zoom < 1 ? "medium" : "low";
  onArt(context, pane, () => {
    for (let away = state.onion; away > 0; away--) {
      context.globalAlpha = state.strength * (state.onion + 1 - away) / state.onion;
      for (const [other, tint] of [[step - away, hue("before")], [step + away, hue("after")]]) {
        if (frames[other] === undefined) continue;
        const [x, y] = crate.document.frames[frames[other]].pivot;
        context.drawImage(tintedOf(crate, frames[other], tint), -x, -y);
      }
    }
    context.globalAlpha = 1;
    draw(context, crate, frame, 0, 0);
  });
  paintMarks(context, pane, frame);
  context.restore();
}

function paintDifference(context, first, second) {
  const found = differenceOf(first.crate, first.show.frames[first.step], second.crate, second.show.frames[second.step]);
  context.fillStyle = "#000000";
  context.imageSmoothingEnabled = stage.view.zoom < 1;
  onArt(context, first, () => {
    context.fillRect(-found.left, -found.top, found.canvas.width, found.canvas.height);
    context.drawImage(found.canvas, -found.left, -found.top);
  });
  at("difference").textContent = found.count ? `${counted(found.count, "pixel")} differ${found.count === 1 ? "s" : ""}` : "no pixel differs";
}

/** Draws the ground through the pivot: a line, or eight directions as seen at three quarters from above. */
function paintGuide(context, pane, height) {
  const { x, y } = pane, thick = Math.max(1, Math.round(dense()));
  context.fillStyle = context.strokeStyle = hue("ground");
  if (state.guide === "line") context.fillRect(pane.from, y, pane.to - pane.from, thick);
  if (state.guide !== "rosette") return;
  const reach = Math.max(pane.to - pane.from, height);
  context.lineWidth = thick;
  context.beginPath();
  for (let eighth = 0; eighth < 4; eighth++) {
    const across = reach * Math.cos(Math.PI * eighth / 4), down = reach * Math.sin(Math.PI * eighth / 4) / 2;
    context.moveTo(x - across, y - down);
    context.lineTo(x + across, y + down);
  }
  context.stroke();
}

function paintMarks(context, pane, frame) {
  const { crate, show, step } = pane, [px, py] = frame.pivot, thick = dense();
  if (state.canvas) {
    onArt(context, pane, (scale) => {
      context.lineWidth = thick / scale;
      context.setLineDash([4 * thick / scale, 4 * thick / scale]);
      context.strokeStyle = hue("faint");
      context.strokeRect(-px, -py, ...frame.canvas);
    });
  }
  if (state.shapes) {
    onArt(context, pane, (scale) => {
      context.lineWidth = 1.5 * thick / scale;
      context.strokeStyle = hue("outline");
      for (const polygon of frame.shape?.polygons ?? []) {
        context.beginPath();
        for (const [x, y] of polygon) context.lineTo(x - px, y - py);
        context.closePath();
        context.stroke();
      }
    });
  }
  if (state.path) paintPath(context, pane, standsOf(crate, show, () => { stage.painted = ""; }), step);
  if (state.pivot) paintCross(context, pane.x, pane.y);
}

function paintCross(context, x, y) {
  const unit = Math.max(1, Math.round(dense()));
  for (const [reach, width, color] of [[6, 3, hue("paper-light")], [5, 1, hue("pivot")]]) {
    const long = reach * unit, half = (width - 1) / 2 * unit;
    context.fillStyle = color;
    context.fillRect(x - long, y - half, 2 * long + unit, width * unit);
    context.fillRect(x - half, y - long, width * unit, 2 * long + unit);
  }
}

/** Draws the path of the feet (a line) and of the center of mass (dotted), with their present places. */
function paintPath(context, pane, stands, step) {
  for (const [point, color, dash] of [["feet", hue("feet"), []], ["mass", hue("mass"), [2, 3]]]) {
    onArt(context, pane, (scale) => {
      const thick = dense() / scale, dot = ([x, y], reach) => {
        context.beginPath();
        context.arc(x, y, reach * thick, 0, 2 * Math.PI);
        context.fill();
      };
      context.lineWidth = 1.5 * thick;
      context.setLineDash(dash.map((length) => length * thick));
      context.strokeStyle = context.fillStyle = color;
      context.beginPath();
      const standing = stands.filter((stand) => stand?.[point]);
      for (const stand of standing) context.lineTo(...stand[point]);
      context.stroke();
      for (const stand of standing) dot(stand[point], 2);
      if (stands[step]?.[point]) dot(stands[step][point], 4.5);
    });
  }
}
