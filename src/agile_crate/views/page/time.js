// Time. Everything uses the reader's `stepAt`; a loop range is an animation of fewer frames.

/** Returns the animation to play: at another rate, a range of it, or repeated. */
function asPlayed(show, { fps, range, again }) {
  const [first, last] = range ?? [0, show.frames.length - 1], cut = (list) => list?.slice(first, last + 1);
  const pace = fps > 0 ? { fps: [fps, 1], beats: show.frames.map(() => 1) } : show;
  const loop = show.loop === "once" && again ? "forever" : show.loop;
  return { ...show, frames: cut(show.frames), durations: cut(show.durations), fps: pace.fps, beats: cut(pace.beats), loop };
}

/** Returns the exact milliseconds of each frame. */
function lengthsOf({ durations, fps, beats }) {
  return beats ? beats.map((count) => count * 1000 * fps[1] / fps[0]) : durations;
}

/** Returns one turn, both ways for back and forth: each place's step, start and length. */
function turnOf(show) {
  const steps = show.frames.map((_, index) => index), lengths = lengthsOf(show), forth = steps.length;
  if (show.loop === "back-and-forth") steps.push(...steps.slice(1, -1).reverse());
  let start = 0;
  return steps.map((step, place) => {
    const span = { step, start, length: lengths[step], back: place >= forth };
    start += span.length;
    return span;
  });
}

const lengthOf = (turn) => turn.length ? turn[turn.length - 1].start + turn[turn.length - 1].length : 0;

/** Returns the place in a turn at a time after the start; an animation that ends stays at its last place. */
function placeAt(show, turn, time) {
  const length = lengthOf(turn), showings = show.loop === "once" ? Math.max(1, show.times ?? 0) : Infinity;
  if (time >= length * showings) return turn.length - 1;
  const within = ((time % length) + length) % length;
  let place = 0;
  while (place + 1 < turn.length && turn[place + 1].start <= within + 0.001) place++;
  return place;
}

/** Formats a rate: 12, 23.976. */
function rateText([frames, seconds]) {
  return String(Number((frames / seconds).toFixed(3)));
}

/**
 * Returns the rate of an animation: its own, or else the rate of the most frequent step length, up to rounding. Whole
 * milliseconds of a whole rate become that rate, except for the tens in which animated pictures count. Else the mean.
 */
function paceText({ fps, durations }) {
  if (fps) return `${rateText(fps)} fps`;
  const middle = [...durations].sort((a, b) => a - b)[durations.length >> 1], mean = (times) => times.reduce((sum, time) => sum + time, 0) / times.length;
  const usual = durations.filter((time) => Math.abs(time - middle) <= 1), length = mean(usual), whole = Math.round(1000 / length);
  if (2 * usual.length < durations.length) return `about ${(1000 / mean(durations)).toFixed(1)} fps`;
  const isWhole = length % 10 !== 0 && Math.abs(1000 / whole - length) <= 0.5;
  return `${isWhole ? whole : rateText([1000, length])} fps${usual.length < durations.length ? ", holds" : ""}`;
}

function secondsText(milliseconds, digits = 3) {
  return `${Number((milliseconds / 1000).toFixed(digits))} s`;
}

/** Formats the time of a step, in beats if it has them. */
function holdText(show, step) {
  return show.beats ? `${counted(show.beats[step], "beat")} at ${rateText(show.fps)} fps` : `${show.durations[step]} ms`;
}
