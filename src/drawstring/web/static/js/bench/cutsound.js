// The cut's sound beside the frames: it follows the play head, and is put right where the two have parted.
import { words } from "../pictures.js";

const APART_S = 0.1;

export class CutSound {
  constructor(desk) {
    Object.assign(this, { desk, audio: null });
  }

  get tick() { return document.getElementById("cut-sound"); }

  get isOn() { return Boolean(this.tick?.checked); }

  // Where the shot lies in the cut is asked for once, when it is first to be heard.
  async prepare() {
    if (!this.isOn || this.audio) return;
    try {
      const answer = await fetch(this.tick.dataset.address, { headers: { Accept: "application/json" } });
      if (!answer.ok) throw new Error(await words(answer));
      this.told = await answer.json();
      this.audio = new Audio(this.told.address);
      this.audio.preload = "auto";
      this.audio.addEventListener("error", () => this.refuse("The cut's sound can't be played."));
    } catch (error) { this.refuse(error.message); }
  }

  refuse(what) {
    this.tick.checked = false;
    this.stop();
    // Whoever ticks it again tries again.
    this.audio = null;
    this.desk.sayFault(what);
  }

  // Seconds into the cut at which a frame begins.
  at(frame) { return this.told.begins + (frame - this.told.first) / this.told.rate; }

  follow(frame) {
    if (!this.isOn || !this.audio) return this.stop();
    const { audio, desk, told } = this, wanted = this.at(frame);
    if (wanted < 0 || (Number.isFinite(audio.duration) && wanted >= audio.duration)) return this.stop();
    audio.playbackRate = desk.fps / told.rate;
    if (Math.abs(audio.currentTime - wanted) > Math.max(APART_S, 1.5 / desk.fps)) audio.currentTime = wanted;
    if (audio.paused) audio.play().catch((error) => { if (error.name !== "AbortError") this.refuse(error.message); });
  }

  stop() { this.audio?.pause(); }
}
