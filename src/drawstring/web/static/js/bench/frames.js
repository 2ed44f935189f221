// From frame to frame: a step, a press.
import { mark } from "./compare.js";
import { load } from "./loading.js";

export async function go(desk, to) {
  if (to === desk.frame || !desk.frames.includes(to)) return;
  desk.frame = to;
  mark(desk);
  desk.tracks?.draw();
  desk.drawing.draw();
  desk.well.mark(null);
  await Promise.all([load(desk), desk.script.frameChanged?.()]);
}

export function step(desk, by) {
  const { frames } = desk;
  return go(desk, frames[(frames.indexOf(desk.frame) + by + frames.length) % frames.length]);
}
