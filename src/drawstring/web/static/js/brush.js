// Strokes painted on the picture: drawn as they go, sent as vectors when the hand lets go.
import { make } from "./strip.js";

const THIN = 2; // picture pixels between two points that are kept

export class Brush {
  constructor(element, well, { now, set, say }) {
    Object.assign(this, { element, well, now, set, say, isOn: false, points: [], radius: 24, soft: 0.5, onlyHere: false });
    this.svg = element.querySelector(".painting");
    this.tools = element.querySelector(".brush-tools");
    document.addEventListener("click", ({ target }) => {
      const button = target.closest("[data-paint]");
      if (button) this.#isSame(button) ? this.leave() : this.begin(button.dataset.paint, button.dataset.does);
    });
    this.tools.addEventListener("input", () => this.#read());
    this.tools.querySelector("[data-brush-done]").addEventListener("click", () => this.leave());
    element.addEventListener("pointermove", (event) => this.isOn && this.#hover(event));
    element.addEventListener("pointerleave", () => this.ring?.remove());
  }

  #isSame({ dataset }) { return this.isOn && dataset.paint === this.name && dataset.does === this.does; }

  #read() {
    const [radius, soft, only] = ["radius", "soft", "only"].map((name) => this.tools.querySelector(`[name=brush-${name}]`));
    this.radius = Math.min(2000, Math.max(0.5, Number(radius.value) || this.radius));
    this.soft = Math.min(1, Math.max(0, Number(soft.value) || 0));
    this.onlyHere = only.checked;
  }

  begin(name, does) {
    Object.assign(this, { name, does, isOn: true, points: [] });
    this.element.classList.add("is-taking");
    this.tools.hidden = false;
    this.#mark();
    this.say(`Paint: ${does}. Escape ends it.`);
  }

  // The panel was replaced: its presses show whether painting goes on.
  goOn() { if (this.isOn) document.querySelector(`[data-paint="${CSS.escape(this.name)}"]`) ? this.#mark() : this.leave(); }

  #mark() {
    document.querySelectorAll("[data-paint]").forEach((button) => button.setAttribute("aria-pressed", String(this.#isSame(button))));
  }

  leave() {
    if (!this.isOn) return;
    this.isOn = false;
    this.points = [];
    this.svg.replaceChildren();
    this.tools.hidden = true;
    this.element.classList.remove("is-taking");
    this.#mark();
    this.say("");
  }

  // A point of the page in the picture's coordinates, parts of pixels kept.
  #at({ clientX, clientY }) {
    const box = this.well.canvas.getBoundingClientRect(), { scale, ratio, offset, display } = this.well;
    return [((clientX - box.left) * ratio - offset[0]) / scale + display[0], ((clientY - box.top) * ratio - offset[1]) / scale + display[1]];
  }

  #hover(event) {
    const [x, y] = this.well.toWell(...this.#at(event)), r = (this.radius * this.well.scale) / this.well.ratio;
    this.ring?.remove();
    this.ring = make("circle", { cx: x, cy: y, r });
    this.svg.append(this.ring);
  }

  down(event) {
    this.points = [this.#at(event)];
    this.#draw();
  }

  move(event) {
    const at = this.#at(event), last = this.points.at(-1);
    if (last && Math.hypot(at[0] - last[0], at[1] - last[1]) >= Math.max(THIN, this.radius / 8)) this.points.push(at);
    this.#draw();
  }

  up() {
    if (!this.points.length) return;
    const at = this.onlyHere ? ` at=${this.now()}` : "";
    const points = this.points.map(([x, y]) => `${x.toFixed(1)},${y.toFixed(1)}`).join(" ");
    this.set({ [`${this.name}.add`]: `${this.does} r=${this.radius} soft=${this.soft}${at}: ${points}` });
    this.points = [];
    this.line?.remove();
  }

  #draw() {
    const drawn = this.points.map(([x, y]) => this.well.toWell(x, y).join(","));
    if (drawn.length === 1) drawn.push(drawn[0]);
    this.line?.remove();
    this.line = make("polyline", { points: drawn.join(" "), "stroke-width": (2 * this.radius * this.well.scale) / this.well.ratio });
    this.svg.append(this.line);
  }
}
