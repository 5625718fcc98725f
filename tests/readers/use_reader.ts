import { draw, frame, frameAt, load, stepAt, type Animation, type CrateDocument } from "agile-crate-reader";

async function play(context: CanvasRenderingContext2D): Promise<string> {
  const crate = await load("build/otter.json", "raincoat");
  const swim: Animation | undefined = crate.animations.get("swim");
  const step: number = swim ? stepAt(swim, performance.now()) : 0;
  draw(context, crate, frameAt(crate, "swim", 250), 10, 20, 2);
  const [x, y, w, h] = frame(crate, "swim/swim_01").box;
  const polygons = crate.document.frames[step].shape?.polygons ?? [];
  // @ts-expect-error: a frame has no such key
  crate.document.frames[0].color;
  // @ts-expect-error: a name is needed
  frame(crate);
  // @ts-expect-error: there is no such loop
  const other: Animation = { name: "a", frames: [0], durations: [1], loop: "twice" };
  return `${x + y + w + h + polygons.length}${other.name}`;
}
