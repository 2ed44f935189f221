// A shape drawn on the picture: corners by click, closed by Enter or by the first corner again; dragged afterwards.
import { make } from "./strip.js";

export class Drawing {
  constructor(element, well, { tracks, now, set, say }) {
    Object.assign(this, { element, well, tracks, now, set, say, name: null, corners: [], isOn: false, held: null });
    this.svg = element.querySelector(".drawing");
    element.addEventListener("well-drawn", () => this.draw());
    document.addEventListener("click", ({ target }) => {
      const button = target.closest("[data-draw]");
      if (button) this.isOn ? this.leave() : this.begin(button.dataset.draw);
    });
  }

  // Show the shape of a setting; null shows none.
  show(name) {
    if (this.isOn && name === this.name) return;
    this.leave();
    this.name = name;
    this.draw();
  }

  begin(name) {
    Object.assign(this, { name, corners: [], isOn: true });
    this.element.classList.add("is-taking");
    document.querySelector(`[data-draw="${name}"]`)?.setAttribute("aria-pressed", "true");
    this.say("Click the corners of the shape; Enter closes it, Escape leaves it as it was.");
    this.draw();
  }

  add({ x, y }) {
    const [first] = this.corners;
    if (first && this.corners.length > 2 && Math.hypot(first[0] - x, first[1] - y) * this.well.scale < 10) return this.close();
    this.corners.push([x + 0.5, y + 0.5]);
    this.draw();
  }

  close() {
    if (this.corners.length < 3) return this.say("A shape needs three corners at least.");
    const typed = this.#typed(this.corners), { name } = this;
    this.leave();
    this.set({ [name]: typed });
  }

  leave() {
    if (!this.isOn) return;
    this.isOn = false;
    this.corners = [];
    this.element.classList.remove("is-taking");
    document.querySelectorAll("[data-draw]").forEach((button) => button.setAttribute("aria-pressed", "false"));
    this.say("");
    this.draw();
  }

  #typed(corners) { return corners.map(([x, y]) => `${x.toFixed(1)},${y.toFixed(1)}`).join(" "); }

  // The shape as it is at the shown frame: from its keys, else the plain one.
  #settled() {
    const flat = (this.name && this.tracks?.valueAt(this.name, this.now())) ?? JSON.parse(document.querySelector(`[data-shape="${this.name}"]`)?.textContent || "[]");
    return flat.reduce((pairs, v, i) => (i % 2 ? pairs.at(-1).push(v) : pairs.push([v]), pairs), []);
  }

  draw() {
    this.svg.replaceChildren();
    if (!this.name || this.well.scale === null) return;
    const corners = this.isOn ? this.corners : this.held ?? this.#settled();
    if (!corners.length) return;
    const points = corners.map(([x, y]) => this.well.toWell(x, y));
    this.svg.append(make(this.isOn ? "polyline" : "polygon", { points: points.map((p) => p.join(",")).join(" ") }));
    points.forEach(([x, y], i) => {
      const corner = make("circle", { cx: x, cy: y, r: 5 });
      if (!this.isOn) corner.addEventListener("pointerdown", (event) => this.#drag(event, corners, i));
      this.svg.append(corner);
    });
  }

  #drag(event, corners, i) {
    event.preventDefault();
    this.held = corners.map((corner) => [...corner]);
    const begin = [event.clientX, event.clientY], from = [...corners[i]], { scale, ratio } = this.well;
    const move = ({ clientX, clientY }) => {
      this.held[i] = [from[0] + ((clientX - begin[0]) * ratio) / scale, from[1] + ((clientY - begin[1]) * ratio) / scale];
      this.draw();
    };
    const drop = () => {
      removeEventListener("pointermove", move);
      removeEventListener("pointerup", drop);
      const typed = this.#typed(this.held);
      this.held = null;
      this.set({ [this.name]: typed });
    };
    addEventListener("pointermove", move);
    addEventListener("pointerup", drop);
  }
}
