// A monitor: the finished picture alone, as an output card would show it. It follows a bench that is open in the
// same browser, frame by frame and while settings are tried out; without one it shows a frame or loops a range.
import { Pictures, fetchCube } from "./pictures.js";
import { Well } from "./well.js";

const element = document.getElementById("monitor");
const { shot, fps, name, frame, view, managed, width } = element.dataset;
const frames = element.dataset.frames.split(" ").map(Number);
const well = new Well(document.getElementById("well")), pictures = new Pictures(shot);
const said = document.getElementById("said");
const now = { name, frame: Number(frame), tried: {}, stops: 0, view };
let asked = 0, playing = null, cube = "";

const level = () => (Number(width) / well.canvas.width >= 1.9 || Object.keys(now.tried).length ? 1 : 0);

async function show() {
  const mine = ++asked;
  try {
    if (cube !== now.view) {
      const made = await fetchCube(shot, now.view, managed);
      cube = now.view;
      well.setView(made);
    }
    const picture = await pictures.get(now.frame, now.name, level(), now.tried);
    if (mine !== asked) return;
    well.set({ stops: now.stops });
    well.lay(0, picture);
    say(`${element.dataset.code}  ${now.frame}`);
  } catch (error) {
    if (mine === asked) say(error.message);
  }
}

// What is shown is named for a moment, then the picture is alone.
let fading = null;
function say(text) {
  said.textContent = text;
  said.classList.remove("is-gone");
  clearTimeout(fading);
  fading = setTimeout(() => said.classList.add("is-gone"), 1500);
}

async function loop() {
  const mine = (playing = playing ? null : {});
  while (mine && playing === mine) {
    const began = performance.now();
    now.frame = frames[(frames.indexOf(now.frame) + 1) % frames.length];
    await show();
    await new Promise((done) => setTimeout(done, Math.max(0, 1000 / Number(fps) - (performance.now() - began))));
  }
}

const bench = new BroadcastChannel(`drawstring shot ${shot}`);
bench.addEventListener("message", ({ data }) => {
  if (data.asks) return;
  playing = null;
  if (data.changed) pictures.forget(() => true);
  Object.assign(now, data.shows);
  show();
});
bench.postMessage({ asks: true });

document.addEventListener("keydown", (event) => {
  const by = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
  if (event.key === " ") { event.preventDefault(); loop(); }
  else if (event.key.toLowerCase() === "f") document.fullscreenElement ? document.exitFullscreen() : element.requestFullscreen();
  else if (by) { now.frame = frames[(frames.indexOf(now.frame) + by + frames.length) % frames.length]; show(); }
});
element.addEventListener("dblclick", () => (document.fullscreenElement ? document.exitFullscreen() : element.requestFullscreen()));
show();
