// Playback: frames are asked for ahead of the play head, sent to the card before their turn, and shown in order.
import { mark } from "./compare.js";
import { CutSound } from "./cutsound.js";
import { load } from "./loading.js";

const AHEAD = 16, AT_ONCE = 4;

// The frames from the play head on, on their way or in.
class Ring {
  constructor(desk) { Object.assign(this, { desk, flying: new Map(), faults: new Map() }); }

  has(frame) { return this.desk.slots().every((slot) => this.desk.pictures.has(frame, this.desk.names[slot], this.level(slot), true)); }

  level(slot) { const { desk } = this; return desk.isSlow(desk.names[slot]) ? Math.max(1, desk.level) : desk.level; }

  // Give a frame's pictures; asked for now where they are not on their way yet.
  get(frame) {
    if (!this.flying.has(frame)) {
      const { desk } = this, slots = desk.slots();
      const asked = Promise.all(slots.map((slot) => desk.pictures.get(frame, desk.names[slot], this.level(slot), {}, true)));
      this.flying.set(frame, asked);
      asked.then((pictures) => pictures.forEach((picture) => desk.well.ready(picture)), (error) => this.faults.set(frame, error))
        .finally(() => { this.flying.delete(frame); markLoaded(desk, frame); this.fill(); });
    }
    return this.flying.get(frame);
  }

  // Keep some frames on their way: from the play head on, round the loop.
  fill() {
    const { desk } = this, frames = looped(desk), at = Math.max(0, frames.indexOf(desk.frame));
    if (!this.isOn) return;
    for (let i = 1; i <= Math.min(AHEAD, frames.length) && this.flying.size < AT_ONCE; i += 1) {
      const frame = frames[(at + i) % frames.length];
      if (!this.has(frame) && !this.faults.has(frame)) this.get(frame).catch(() => {});
    }
  }
}

// The frames that are played: all, or from one to another.
export function looped({ frames, range }) {
  return range ? frames.filter((frame) => frame >= range[0] && frame <= range[1]) : frames;
}

export function markLoaded(desk, frame) {
  const isIn = desk.pictures.has(frame, desk.names[0], desk.level) || desk.pictures.has(frame, desk.names[0], desk.level, true);
  desk.cells.find((cell) => Number(cell.dataset.frame) === frame)?.classList.toggle("is-loaded", isIn);
}

let playing = null;

export const isPlaying = () => playing !== null;

// Light work only: all else is brought up to date when it stops.
function show(desk, frame) {
  const { element, cells } = desk;
  cells.find((cell) => cell.getAttribute("aria-current"))?.removeAttribute("aria-current");
  cells.find((cell) => Number(cell.dataset.frame) === frame)?.setAttribute("aria-current", "true");
  desk.frame = frame;
  document.getElementById("now").textContent = element.dataset.now = frame;
  desk.tracks?.draw();
  desk.drawing.draw();
}

// One sound for the page: it is fetched once.
let heard = null;

const nextPaint = () => new Promise((done) => requestAnimationFrame(done));

async function until(time) {
  // What is far off is slept through; the last bit is waited for by paints, which is when anything can be shown.
  if (time - performance.now() > 30) await new Promise((done) => setTimeout(done, time - performance.now() - 20));
  while (performance.now() < time - 4) await nextPaint();
}

// Says the rate that was reached in the last second, beside the one that was meant.
class Rate {
  constructor(output, meant) { Object.assign(this, { output, meant, shown: [], left: 0 }); }

  add(now, dropped) {
    this.shown.push(now);
    this.left += dropped;
    while (this.shown[0] < now - 1500) this.shown.shift();
    const span = now - this.shown[0], rate = span > 0 ? ((this.shown.length - 1) * 1000) / span : 0;
    const isShort = span > 700 && rate < this.meant * 0.97;
    this.output.textContent = isShort ? `${rate.toFixed(rate < 10 ? 1 : 0)} of ${this.meant} a second` : `${this.meant} a second`;
    if (this.left) this.output.textContent += `, ${this.left} left out`;
    this.output.classList.toggle("is-short", isShort);
    this.output.dataset.rate = rate.toFixed(2);
  }
}

export async function play(desk) {
  if (playing) { playing = null; return; }
  const button = document.getElementById("play"), output = document.getElementById("rate"), mine = (playing = {});
  const ring = new Ring(desk), rate = new Rate(output, desk.fps), keepsTime = document.getElementById("keep-time");
  const sound = (heard ??= new CutSound(desk));
  button.textContent = "❚❚";
  button.setAttribute("aria-label", "Stop");
  output.hidden = false;
  desk.well.mark(null);
  ring.isOn = true;
  desk.well.playing(true);
  ring.fill();
  await sound.prepare();
  let due = performance.now();
  while (playing === mine) {
    const frames = looped(desk);
    let dropped = 0;
    // Where the time is to be kept, as a sound needs it, frames whose turn is over are left out; never otherwise.
    if (keepsTime.checked || sound.isOn) dropped = Math.min(frames.length - 1, Math.max(0, Math.floor(((performance.now() - due) * desk.fps) / 1000)));
    const frame = frames[(frames.indexOf(desk.frame) + 1 + dropped + frames.length) % frames.length];
    due += (dropped * 1000) / desk.fps;
    let pictures = null;
    try { pictures = await ring.get(frame); } catch (error) { desk.sayFault(error.message); }
    await until(due);
    if (playing !== mine) break;
    if (pictures) {
      desk.slots().forEach((slot, i) => desk.well.lay(slot, pictures[i]));
      await desk.well.painted();
    }
    show(desk, frame);
    await sound.prepare();
    sound.follow(frame);
    ring.fill();
    const now = performance.now();
    rate.add(now, dropped);
    due = keepsTime.checked || sound.isOn ? due + 1000 / desk.fps : Math.max(due + 1000 / desk.fps, now - 20);
    if (frames.length < 2) await until(now + 200);
  }
  sound.stop();
  ring.isOn = false;
  desk.well.playing(false);
  if (playing === null) stopped(desk, button, output);
}

function stopped(desk, button, output) {
  button.textContent = "▶";
  button.setAttribute("aria-label", "Play");
  output.hidden = true;
  mark(desk);
  load(desk);
  desk.script.frameChanged?.();
}

// From here, to here: what is played round and round; frames under a hand that drags.
export function setUpPlaying(desk, go) {
  const list = document.querySelector("#frames ol"), range = document.getElementById("range");
  const from = document.getElementById("range-from"), to = document.getElementById("range-to"), all = document.getElementById("range-all");
  const set = (low, high) => {
    const { frames } = desk, whole = [frames[0], frames.at(-1)];
    desk.range = low <= whole[0] && high >= whole[1] ? null : [low, high];
    range.textContent = desk.range ? `${low}-${high}` : "all";
    all.hidden = !desk.range;
    desk.cells.forEach((cell) => cell.classList.toggle("is-left-out", Boolean(desk.range) && (Number(cell.dataset.frame) < low || Number(cell.dataset.frame) > high)));
  };
  from.addEventListener("click", () => set(desk.frame, Math.max(desk.frame, desk.range?.[1] ?? desk.frames.at(-1))));
  to.addEventListener("click", () => set(Math.min(desk.frame, desk.range?.[0] ?? desk.frames[0]), desk.frame));
  all.addEventListener("click", () => set(-Infinity, Infinity));
  let isDragged = false;
  list.addEventListener("pointerdown", (event) => { isDragged = event.button === 0; });
  window.addEventListener("pointerup", () => { isDragged = false; });
  list.addEventListener("pointermove", (event) => {
    if (!isDragged || !(event.buttons & 1)) return;
    const cell = document.elementFromPoint(event.clientX, event.clientY)?.closest?.(".cell:not([disabled])");
    if (cell && Number(cell.dataset.frame) !== desk.frame) go(Number(cell.dataset.frame));
  });
}
