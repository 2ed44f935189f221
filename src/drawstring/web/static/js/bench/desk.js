// What the bench works on: its picture, its passes and frames, what is tried out; and what its knot adds.
import { Pictures } from "../pictures.js";
import { Well } from "../well.js";
import { askForFirst, levelFor } from "./first.js";

// Larger pictures are held smaller, and looked at closely in tiles.
const WHOLE_BYTES = 80e6;

export const plainName = (name) => (name === "picture" ? "finished picture" : name.replaceAll("_", " ").replace("@", ", read as "));

export class Desk {
  constructor(element) {
    const { shot, knot, fps, a, b, frame, results, families, slow, width, height } = element.dataset;
    const wellElement = document.getElementById("well");
    const cells = [...document.querySelectorAll("#frames .cell:not([disabled])")];
    const frames = cells.map((cell) => Number(cell.dataset.frame));
    const wished = new URLSearchParams(location.search), asked = Number(wished.get("frame"));
    const pass = wished.get("pass"), now = frames.includes(asked) ? asked : Number(frame);
    const first = pass && document.querySelector(`#tray [data-pass="${CSS.escape(pass)}"]`) ? pass : a;
    const pictures = new Pictures(shot), isSlow = slow.split(" ").includes(first.split(".").at(-1));
    askForFirst({ pictures, wellElement, width: Number(width), height: Number(height), frame: now, name: first, isSlow });
    Object.assign(this, {
      element, shot, knot, fps: Number(fps), names: [a, b], cells, frames, wished, wellElement, width: Number(width), height: Number(height),
      well: new Well(wellElement), pictures, place: document.getElementById("place"),
      note: wellElement.querySelector(".well-note"), frame: now,
      tried: {}, taking: null, script: {}, fixed: results.split(" "), families: families.split(" ").filter(Boolean), slow: slow.split(" "),
    });
  }

  say(text) {
    this.note.textContent = text;
    this.note.hidden = !text;
    this.note.classList.remove("is-waiting", "is-fault");
  }

  // What went wrong stays until a picture is there again; what a hand is told to do stays until it has done it.
  sayFault(text) { this.say(text); this.note.classList.add("is-fault"); }

  sayGood() { if (this.note.classList.contains("is-fault")) this.say(""); }

  // What takes a moment says what it does; what is there at once says nothing.
  sayWhileWaiting(text) {
    clearTimeout(this.saying);
    this.saying = setTimeout(() => {
      // Nothing that is to be read is covered by it.
      if (!this.note.hidden && !this.note.classList.contains("is-fault")) return;
      this.say(text);
      this.note.classList.add("is-waiting");
    }, 200);
  }

  sayDone() {
    clearTimeout(this.saying);
    if (this.note.classList.contains("is-waiting")) this.say("");
  }

  // Mattes and layers bear names that the recipe gives them.
  isResult(name) {
    const bare = name.split(".").at(-1);
    return this.fixed.includes(name) || this.fixed.includes(bare) || this.families.some((family) => bare.startsWith(family));
  }

  isSlow(name) { return this.slow.includes(name.split(".").at(-1)); }

  inTray(name) { return document.querySelector(`#tray [data-pass="${CSS.escape(name.split("@")[0])}"]`); }

  isThere(name) { return Boolean(this.inTray(name)); }

  resultsInTray() { return [...document.querySelectorAll("#tray [data-pass]")].map((pass) => pass.dataset.pass).filter((name) => this.isResult(name)); }

  // What the picture is shown at; of one that no browser should hold whole, what it holds, and tiles over it.
  get level() { return Math.max(this.wishedLevel, this.heldLevel); }

  get wishedLevel() {
    const { scale, canvas } = this.well;
    return levelFor(scale === null ? this.width / canvas.width : 1 / scale);
  }

  get heldLevel() {
    let level = 0;
    while (level < 4 && (this.width * this.height * 16) / 4 ** level > WHOLE_BYTES) level += 1;
    return level;
  }

  get takesTiles() { return this.wishedLevel === 0 && this.heldLevel > 0; }

  // The slots that are seen: the second one only where two pictures are compared.
  slots(only = [0, 1]) { return only.filter((slot) => slot === 0 || this.well.mode !== "one"); }

  ask(path) { return fetch(`/shots/${this.shot}${path}`, { headers: { Accept: "application/json" } }); }
}
