// The bench begins: a desk, its tools, and the script of its knot.
import { Brush } from "./brush.js";
import { Drawing } from "./drawing.js";
import { Tracks } from "./tracks.js";
import { mark, setMode, setUpCompare, setView } from "./bench/compare.js";
import { Desk } from "./bench/desk.js";
import { go } from "./bench/frames.js";
import { setUpKeys } from "./bench/keys.js";
import { setUpCurves } from "./bench/curves.js";
import { setUpKeysFrom } from "./bench/keysfrom.js";
import { setUpLevels } from "./bench/levels.js";
import { load } from "./bench/loading.js";
import { setUpMonitor } from "./bench/monitor.js";
import { openPart } from "./bench/parts.js";
import { play, setUpPlaying } from "./bench/playing.js";
import { setUpPicking } from "./bench/picking.js";
import { settle, setUpTrying } from "./bench/trying.js";

// Small pictures wait for the large one, which is what the page was opened for.
function showTray() {
  document.querySelectorAll("#tray img[data-src]").forEach((img) => { img.src = img.dataset.src; img.removeAttribute("data-src"); });
}

const element = document.getElementById("bench");
if (element) start(new Desk(element));

async function start(desk) {
  const { names, wished, well, wellElement, element: { dataset } } = desk;
  const tools = { now: () => desk.frame, set: (settings) => settle(desk, settings), say: (text) => desk.say(text) };
  if (document.getElementById("track")) desk.tracks = new Tracks({ frames: desk.frames, go: (to) => go(desk, to), ...tools });
  desk.drawing = new Drawing(wellElement, well, { tracks: desk.tracks, ...tools });
  desk.brush = new Brush(wellElement, well, tools);
  // Whoever is quick has changed something before the knot's script is there.
  let isLate = false;
  const noteChange = () => { isLate = true; };
  document.body.addEventListener("recipe-changed", noteChange);
  if (dataset.script) desk.script = (await import(dataset.script)).setUp(desk);
  document.body.removeEventListener("recipe-changed", noteChange);
  setUpCompare(desk, (to) => go(desk, to));
  setUpPicking(desk);
  setUpTrying(desk);
  setUpKeysFrom(desk);
  setUpCurves(desk);
  setUpLevels(desk);
  setUpKeys(desk);
  setUpMonitor(desk);
  setUpPlaying(desk, (to) => go(desk, to));
  document.getElementById("play").addEventListener("click", () => play(desk));
  document.body.addEventListener("htmx:afterSettle", () => mark(desk));
  const pass = wished.get("pass");
  if (pass && desk.isThere(pass)) names[0] = pass;
  mark(desk);
  desk.seen = setView(desk, document.getElementById("view").value);
  Promise.all([desk.seen, load(desk)]).finally(() => {
    showTray();
    document.body.addEventListener("htmx:afterSettle", showTray);
  });
  if (desk.script.beginsWithWipe && names[0] !== names[1]) setMode(desk, "wipe");
  openPart(desk, wished.get("part") || "", { isFirst: Boolean(wished.get("part") || desk.script.opensFirst) });
  desk.script.begun?.();
  if (isLate) document.body.dispatchEvent(new Event("recipe-changed"));
}
