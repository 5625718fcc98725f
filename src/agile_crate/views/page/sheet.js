// The sheet: the image as it ships, with its own view and marks.

const board = { view: { zoom: 1, x: 0, y: 0 }, fitted: true, painted: "", marked: "", chosen: -1 };

const sheetNow = () => stage.crate.document.sheets[state.sheet];

function fitSheet() {
  const { width, height } = at("board"), [w, h] = sheetNow().size, zoom = fitting(width - 8, height - 8, { w, h });
  board.fitted = true;
  board.view = { zoom, x: Math.round((width - w * grain(zoom)) / 2), y: Math.round((height - h * grain(zoom)) / 2) };
}

function paintSheet() {
  const canvas = at("board"), image = stage.crate.images[state.sheet];
  if (!image || !canvas.clientWidth) return;
  const resized = fillRoom(canvas);
  fillRoom(at("marks"));
  if (board.fitted && (resized || board.sheet !== state.sheet || board.version !== stage.version)) fitSheet();
  Object.assign(board, { sheet: state.sheet, version: stage.version });
  const { zoom, x, y } = board.view, [w, h] = sheetNow().size, unit = grain(zoom);
  const look = JSON.stringify([canvas.width, canvas.height, board.view, state.sheet, stage.crate.skin, stage.version]);
  if (look !== board.painted) {
    board.painted = look;
    const context = canvas.getContext("2d", { alpha: false });
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.fillStyle = hue("well");
    context.fillRect(0, 0, canvas.width, canvas.height);
    context.fillStyle = checkerOf(context, Math.round(8 * dense()));
    context.fillRect(x, y, w * unit, h * unit);
    context.imageSmoothingEnabled = zoom < 1;
    context.drawImage(image, x, y, w * unit, h * unit);
    at("sheet-zoom").textContent = zoomText(zoom);
  }
  paintSheetMarks(look);
  tellShownOnSheet();
}

/** Returns a box of the sheet in board coordinates: [x, y, w, h]. */
function onBoard([x, y, w, h]) {
  const { view } = board, unit = grain(view.zoom);
  return [view.x + x * unit, view.y + y * unit, w * unit, h * unit];
}

function paintSheetMarks(look) {
  const wanted = ["boxes", "names", "pivots", "canvases", "gaps"].filter((name) => state[name]);
  const marked = `${look} ${wanted} ${board.chosen}`;
  if (marked === board.marked) return;
  board.marked = marked;
  const canvas = at("marks"), context = canvas.getContext("2d"), unit = dense();
  context.setTransform(1, 0, 0, 1, 0, 0);
  context.clearRect(0, 0, canvas.width, canvas.height);
  if (!wanted.length && board.chosen < 0) return;
  if (state.gaps) paintGaps(context);
  context.font = `${11 * unit}px ${hue("letters")}`;
  context.textBaseline = "top";
  stage.crate.document.frames.forEach((frame, index) => {
    const [x, y, w, h] = onBoard(frame.box);
    if (liesOn(frame) !== state.sheet || x > canvas.width || y > canvas.height || x + w < 0 || y + h < 0) return;
    const tone = toneOf(index);
    context.lineWidth = unit;
    context.strokeStyle = tone;
    if (state.boxes) context.strokeRect(x + unit / 2, y + unit / 2, Math.max(1, w - unit), Math.max(1, h - unit));
    if (state.canvases) {
      context.setLineDash([3 * unit, 3 * unit]);
      context.strokeRect(...onBoard(canvasOnSheet(frame)));
      context.setLineDash([]);
    }
    if (state.names) paintName(context, shown(frame.name.split("/").pop()), [x, y, w, h], tone);
    if (state.pivots) {
      const [px, py] = pointOnSheet(frame, frame.pivot), [cx, cy] = onBoard([px, py, 0, 0]);
      paintCross(context, Math.round(cx), Math.round(cy));
    }
  });
  if (board.chosen >= 0 && stage.crate.document.frames[board.chosen].sheet === state.sheet) {
    const [x, y, w, h] = onBoard(stage.crate.document.frames[board.chosen].box);
    context.fillStyle = hue("chosen");
    context.fillRect(x, y, w, h);
  }
}

/** Returns the color of a frame's animation, as on annotated sheets. */
function toneOf(index) {
  const { show } = stage.crate.owners[index][0];
  return show.still ? hue("still") : hue(`tone-${show.index % 8}`);
}

function paintName(context, name, [x, y, w, h], tone) {
  const unit = dense(), room = context.measureText(name).width;
  if (room + 6 * unit > w || 30 * unit > h) return;
  context.fillStyle = hue("label");
  context.fillRect(x + unit, y + unit, room + 5 * unit, 15 * unit);
  context.fillStyle = tone;
  context.fillRect(x + unit, y + unit, 2 * unit, 15 * unit);
  context.fillStyle = hue("ink");
  context.fillText(name, x + 5 * unit, y + 3 * unit);
}

/** Shades everything that belongs to no frame. */
function paintGaps(context) {
  const [w, h] = sheetNow().size;
  context.save();
  context.beginPath();
  context.rect(...onBoard([0, 0, w, h]));
  for (const [index] of stage.crate.twins.values()) {
    const frame = stage.crate.document.frames[index], [x, y, w, h] = onBoard(frame.box);
    if (liesOn(frame) !== state.sheet) continue;
    context.moveTo(x, y); // in the opposite direction to the sheet's outline, so that the box is left out
    context.lineTo(x, y + h);
    context.lineTo(x + w, y + h);
    context.lineTo(x + w, y);
    context.closePath();
  }
  context.fillStyle = hue("gap");
  context.fill("nonzero");
  context.restore();
}

function canvasOnSheet(frame) {
  const corners = [[0, 0], frame.canvas].map((corner) => pointOnSheet(frame, corner));
  const x = Math.min(corners[0][0], corners[1][0]), y = Math.min(corners[0][1], corners[1][1]);
  return [x, y, Math.abs(corners[0][0] - corners[1][0]), Math.abs(corners[0][1] - corners[1][1])];
}

/** Puts the mark around the frame on the stage. */
function tellShownOnSheet() {
  const mark = at("mark"), index = stage.show ? stage.show.frames[stepNow()] : -1, frame = stage.crate.document.frames[index];
  mark.hidden = !frame || liesOn(frame) !== state.sheet || !frame.box[2];
  if (!mark.hidden) placeOnBoard(mark, frame.box);
  for (const [index, flash] of flashes) placeOnBoard(flash, stage.crate.document.frames[index].box);
}

function placeOnBoard(element, box) {
  const [x, y, w, h] = onBoard(box).map((length) => length / dense());
  Object.assign(element.style, { transform: `translate(${x}px, ${y}px)`, width: `${w}px`, height: `${h}px` });
}

/** Returns the frames whose boxes lie under a place of the board, the smallest first. */
function framesAt(place) {
  const { x, y } = artAt(board.view, place);
  const area = (index) => stage.crate.document.frames[index].box[2] * stage.crate.document.frames[index].box[3];
  const found = [];
  stage.crate.document.frames.forEach(({ sheet, box: [left, top, w, h] }, index) => {
    if (sheet === state.sheet && x >= left && y >= top && x < left + w && y < top + h) found.push(index);
  });
  return found.sort((first, second) => area(first) - area(second));
}

/** Describes the frame under the pointer, or else the chosen one. */
function tellOnSheet(index) {
  const text = at("under"), ways = at("ways");
  if (index < 0) {
    text.textContent = "Point at a frame to see its numbers; click to show it on the stage.";
    ways.replaceChildren();
    return;
  }
  const frame = stage.crate.document.frames[index];
  text.textContent = `${index} ${shown(frame.name)}: ${boxText(frame)}`;
  const twins = twinsOf(stage.crate, index).filter((twin) => stage.crate.document.frames[twin].name !== frame.name);
  ways.replaceChildren(...(twins.length ? ["in the same box: "] : []), ...twins.slice(0, 6).map((twin) => {
    const other = stage.crate.document.frames[twin], button = document.createElement("button");
    const mirrored = (other.mirror ?? "") !== (frame.mirror ?? "");
    button.textContent = `${shown(other.name)}${mirrored ? ", mirrored" : ""}`;
    button.addEventListener("click", () => showFrame(twin));
    return button;
  }), ...(twins.length > 6 ? [` and ${counted(twins.length - 6, "other")}`] : []));
}

function boxText(frame) {
  const turned = frame.turned ? ", turned" : "", mirror = frame.mirror ? `, mirrored ${frame.mirror}` : "";
  return `box ${frame.box.join(" ")}${turned}${mirror}`;
}

/** Shows a frame on the stage, in the present show if that contains it. */
function showFrame(index) {
  const owners = stage.crate.owners[index], { show: owner, step } = owners.find((owner) => owner.show === stage.show) ?? owners[0];
  setPlaying(false);
  if (owner !== stage.show) choose(owner.name);
  state.range = null;
  setLine();
  seekStep(step);
  chooseOnSheet(index);
  show();
}

/** Marks a frame on the sheet, and switches to its sheet. */
function chooseOnSheet(index) {
  board.chosen = index;
  const lies = stage.crate.document.frames[index].sheet;
  if (lies !== state.sheet) setSheet(lies);
  tellOnSheet(index);
}

function setSheet(index) {
  state.sheet = index;
  if (at("sheet")) at("sheet").value = index;
}

function listenToSheet() {
  const canvas = at("marks");
  makeMovable(canvas, {
    view: () => board.view,
    look: ({ zoom, x, y }) => { board.view = { zoom, x: Math.round(x), y: Math.round(y) }; board.fitted = false; show(); },
    fit: () => { fitSheet(); show(); },
    point: (place) => tellOnSheet(place ? framesAt(place)[0] ?? board.chosen : board.chosen),
    click: (place) => {
      const found = framesAt(place);
      if (found.length) showFrame(found[(found.indexOf(board.chosen) + 1) % found.length]);
    },
  });
  canvas.addEventListener("keydown", (event) => {
    const { width, height } = canvas, middle = { x: width / 2, y: height / 2 }, { view } = board;
    const move = { ArrowLeft: [1, 0], ArrowRight: [-1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
    const count = stage.crate.document.frames.length;
    if (move && event.shiftKey) board.view = { ...view, x: view.x + move[0] * 40 * dense(), y: view.y + move[1] * 40 * dense() };
    else if (move) showFrame((Math.max(board.chosen, 0) - move[0] - move[1] + count) % count);
    else if (event.key === "+" || event.key === "-") board.view = zoomedAt(view, nextZoom(view.zoom, event.key === "+" ? 1 : -1), middle);
    else if (event.key === "0") fitSheet();
    else return;
    if (event.key !== "0" && !(move && !event.shiftKey)) board.fitted = false;
    event.preventDefault();
    event.stopPropagation();
    show();
  });
}
