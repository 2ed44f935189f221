// From frame to frame: a step, a press, playback.
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

let playing = null;

export async function play(desk) {
  const button = document.getElementById("play"), { frames } = desk;
  if (playing) { playing = null; return; }
  const mine = (playing = {});
  button.textContent = "❚❚";
  button.setAttribute("aria-label", "Stop");
  while (playing === mine) {
    const began = performance.now();
    desk.frame = frames[(frames.indexOf(desk.frame) + 1) % frames.length];
    mark(desk);
    desk.tracks?.draw();
    desk.drawing.draw();
    await load(desk);
    await new Promise((done) => setTimeout(done, Math.max(0, 1000 / desk.fps - (performance.now() - began))));
  }
  button.textContent = "▶";
  button.setAttribute("aria-label", "Play");
  desk.script.frameChanged?.();
}
