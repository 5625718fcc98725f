// Time. All of it goes by the reader's `stepAt`; a loop range is an animation of fewer frames.

/** An animation as it is to be played: at another rate, only a range of it, repeated. */
function asPlayed(one, { fps, range, again }) {
  const [first, last] = range ?? [0, one.frames.length - 1], cut = (list) => list?.slice(first, last + 1);
  const pace = fps > 0 ? { fps: [fps, 1], beats: one.frames.map(() => 1) } : one;
  const loop = one.loop === "once" && again ? "forever" : one.loop;
  return { ...one, frames: cut(one.frames), durations: cut(one.durations), fps: pace.fps, beats: cut(pace.beats), loop };
}

/** How long each frame is shown, in exact milliseconds. */
function lengthsOf({ durations, fps, beats }) {
  return beats ? beats.map((count) => count * 1000 * fps[1] / fps[0]) : durations;
}

/** One turn as it is played, back and forth both ways: of each place its step, its start and its length. */
function turnOf(one) {
  const steps = one.frames.map((_, index) => index), lengths = lengthsOf(one), forth = steps.length;
  if (one.loop === "back-and-forth") steps.push(...steps.slice(1, -1).reverse());
  let start = 0;
  return steps.map((step, place) => {
    const span = { step, start, length: lengths[step], back: place >= forth };
    start += span.length;
    return span;
  });
}

const lengthOf = (turn) => turn.length ? turn[turn.length - 1].start + turn[turn.length - 1].length : 0;

/** The place in a turn at a time after the start; what is shown once, or so many times, ends at its last place. */
function placeAt(one, turn, time) {
  const length = lengthOf(turn), showings = one.loop === "once" ? Math.max(1, one.times ?? 0) : Infinity;
  if (time >= length * showings) return turn.length - 1;
  const within = ((time % length) + length) % length;
  let place = 0;
  while (place + 1 < turn.length && turn[place + 1].start <= within + 0.001) place++;
  return place;
}

/** A rate as it was meant: 12, 23.976. */
function rateText([frames, seconds]) {
  return String(Number((frames / seconds).toFixed(3)));
}

/**
 * The rate of an animation. Without one of its own, that of the length which most steps have, up to rounding; whole
 * milliseconds of a whole rate are told as that rate, but for the tens that animated pictures count in. Else the mean.
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

/** How long a step is held, in the unit that it was meant in. */
function holdText(one, step) {
  return one.beats ? `${counted(one.beats[step], "beat")} at ${rateText(one.fps)} fps` : `${one.durations[step]} ms`;
}
