// Numbers to copy: of the frame, the animation, the sheet or the crate, as text, as JSON, or as in the crate's other files.

const pad = (rows) => {
  const wide = Math.max(...rows.map(([key]) => key.length));
  return rows.map(([key, value]) => `${key.padEnd(wide)}  ${value}`).join("\n");
};

const loopText = ({ loop, times }) => loop === "once" && times > 1 ? `${times} times` : loop === "once" ? "once" : loop;

function frameText(index) {
  const { document: crate } = stage.crate, frame = crate.frames[index], [x, y, w, h] = frame.box;
  const [wide, high] = crate.sheets[liesOn(frame)].size, share = (part, of) => Number((part / of).toFixed(6));
  return pad([
    ["frame", `${index} ${shown(frame.name)}`],
    ["sheet", `${liesOn(frame)} ${shown(crate.sheets[liesOn(frame)].image)}`],
    ["box", frame.box.join(" ")],
    ["turned", frame.turned ? "90° clockwise" : "no"],
    ...(frame.mirror ? [["mirror", frame.mirror]] : []),
    ["canvas", frame.canvas.join(" × ")],
    ["offset", frame.offset.join(" ")],
    ["pivot", frame.pivot.join(" ")],
    ["shares", [share(x, wide), share(y, high), share(x + w, wide), share(y + h, high)].join(" ")],
  ]);
}

function animationText(show) {
  const { frames } = stage.crate.document, turn = turnOf(show), names = show.frames.map((index) => shown(frames[index].name));
  return pad([
    [show.still ? "still" : "animation", shown(show.name)],
    ["frames", `${show.frames.length}: ${names.length > 8 ? `${names.slice(0, 4).join(" ")} … ${names[names.length - 1]}` : names.join(" ")}`],
    ["indices", runsOf(show.frames)],
    ...(show.still ? [] : [
      ["rate", paceText(show)],
      [show.beats ? "beats" : "ms", (show.beats ?? show.durations).join(" ")],
      ["length", `${secondsText(lengthsOf(show).reduce((sum, time) => sum + time, 0))}${show.loop === "back-and-forth" ? `, there and back ${secondsText(lengthOf(turn))}` : ""}`],
      ["loop", loopText(show)],
    ]),
  ]);
}

/** Lists whole numbers, with runs as 3–7. */
function runsOf(numbers) {
  const runs = [];
  for (const number of numbers) {
    const last = runs[runs.length - 1];
    if (last && number === last[1] + 1) last[1] = number;
    else runs.push([number, number]);
  }
  return runs.map(([first, last]) => first === last ? first : `${first}–${last}`).join(" ");
}

function sheetText(index) {
  const [first, ...rows] = [DATA.sheet_headings, ...DATA.sheet_rows], row = rows[index];
  return row ? pad(first.map((heading, place) => [heading, row[place]])) : "";
}

/** Formats tables for pasting into a spreadsheet. */
function crateText() {
  const { shows } = stage.crate, animations = shows.filter((show) => !show.still);
  const rows = animations.map((show) => [shown(show.name), runsOf(show.frames), show.frames.length, paceText(show).replace(" fps", ""), secondsText(lengthsOf(show).reduce((sum, time) => sum + time, 0)), loopText(show)]);
  const tables = [[DATA.sheet_headings, ...DATA.sheet_rows]];
  if (rows.length) tables.push([["animation", "indices", "frames", "fps", "length", "loop"], ...rows]);
  return tables.map((table) => table.map((row) => row.join("\t")).join("\n")).join("\n\n");
}

/** Returns the lines of a text file that contain a name, and the deeper-indented lines below each; or the whole text. */
function passageOf(text, name) {
  const lines = text.split("\n"), within = (edge) => {
    const parts = name.split(/[^\p{L}\p{N}]+/u).filter(Boolean).map((part) => part.replace(/[^\p{L}\p{N}]/gu, "."));
    return new RegExp(`(?<!${edge})${parts.join("[^\\p{L}\\p{N}]+")}(?!${edge})`, "iu");
  };
  const indent = (line) => line.length - line.trimStart().length;
  for (const edge of ["[\\p{L}\\p{N}_/.-]", "[\\p{L}\\p{N}]"]) {
    const sought = within(edge), found = [];
    for (let place = 0; place < lines.length; place++) {
      if (!sought.test(lines[place])) continue;
      found.push(lines[place]);
      const deep = indent(lines[place]);
      while (place + 1 < lines.length && lines[place + 1].trim() && (indent(lines[place + 1]) > deep || /^[\])},;\s]+$/.test(lines[place + 1]) && indent(lines[place + 1]) === deep && found.length > 1)) found.push(lines[++place]);
    }
    if (found.length) return found.join("\n");
  }
  return text;
}

const LONGEST = 100_000;

/** Returns the text for the chosen scope and form. */
function numbersText() {
  const { document: crate } = stage.crate, show = stage.show, index = show ? show.frames[stepNow()] : 0, form = state.form;
  const animation = show && !show.still ? crate.animations[show.index] : null;
  const of = {
    frame: () => [frameText(index), crate.frames[index], crate.frames[index].name],
    animation: () => show ? [animationText(show), animation ?? crate.frames[index], show.name] : ["", null, ""],
    sheet: () => [sheetText(state.sheet), withoutData(crate.sheets[state.sheet]), crate.sheets[state.sheet].image],
    crate: () => [crateText(), { ...crate, sheets: crate.sheets.map(withoutData) }, ""],
  }[state.scope]();
  if (form === "text") return of[0];
  if (form === "JSON") return JSON.stringify(of[1], null, 2);
  const text = numbers.texts.get(form);
  if (text === undefined) readText(form);
  return text === undefined ? "" : of[2] ? passageOf(text, of[2]) : text;
}

/** Unpacks a text file of the crate at its first use. */
async function readText(name) {
  numbers.texts.set(name, "");
  const bytes = Uint8Array.from(atob(DATA.texts[name]), (letter) => letter.charCodeAt(0));
  const text = await new Response(new Blob([bytes]).stream().pipeThrough(new DecompressionStream("deflate"))).text();
  numbers.texts.set(name, text);
  numbers.shownKey = "";
  show();
}

function withoutData({ data, ...sheet }) {
  if (sheet.skins) sheet.skins = Object.fromEntries(Object.entries(sheet.skins).map(([name, { data: _, ...skin }]) => [name, skin]));
  return sheet;
}

const numbers = { shownKey: "", texts: new Map() };

function paintNumbers() {
  if (at("numbers").hidden) return;
  const key = JSON.stringify([state.scope, state.form, stage.show?.name, state.scope === "frame" && stage.show ? stepNow() : 0, state.sheet, stage.version]);
  if (key === numbers.shownKey) return;
  numbers.shownKey = key;
  const text = numbersText();
  at("text").textContent = text.length > LONGEST ? `${text.slice(0, LONGEST)}\n… (Copy takes all of it)` : text;
}

async function copyNumbers() {
  const text = numbersText(), button = at("copy");
  button.dataset.copied = text;
  try {
    await navigator.clipboard.writeText(text);
    button.textContent = "Copied";
  } catch {
    getSelection().selectAllChildren(at("text"));
    button.textContent = "Selected: copy it yourself";
  }
  setTimeout(() => { button.textContent = "Copy"; }, 1500);
}
