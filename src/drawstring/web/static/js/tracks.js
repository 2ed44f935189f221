// Keyed values over the frames: Python's course drawn as a line, its keys to be dragged, stepped, set and taken away.
import { make } from "./strip.js";
import { isTyping } from "./page.js";

const TOP = 8, BOTTOM = 8;

export class Tracks {
  // `frames` are the frames that can be shown; `now` gives the shown one; `go` goes to one; `set` writes settings.
  constructor({ frames, now, go, set }) {
    Object.assign(this, { frames, now, go, set, all: {}, name: null });
    this.section = document.getElementById("track");
    this.svg = document.getElementById("track-curve");
    this.select = document.getElementById("track-of");
    this.select.addEventListener("change", () => { this.name = this.select.value; this.draw(); });
    this.section.addEventListener("click", ({ target }) => {
      const step = target.closest("[data-key-step]");
      if (step) this.step(Number(step.dataset.keyStep));
      else if (target.closest("[data-key-here]")) this.toggle();
    });
    this.section.querySelectorAll("[name=key-then]").forEach((input) => input.addEventListener("change", () => {
      const key = this.#keyBefore();
      if (key) this.set({ [`${this.name}@${key.frame}.then`]: input.value });
    }));
    document.addEventListener("click", ({ target }) => {
      const button = target.closest("[data-key]");
      if (button) this.toggle(button.dataset.key);
    });
    document.addEventListener("keydown", (event) => {
      if (isTyping(event) || event.metaKey || event.altKey || !this.name) return;
      const withArrow = event.ctrlKey && { ArrowLeft: () => this.step(-1), ArrowRight: () => this.step(1) }[event.key];
      const press = withArrow || (!event.ctrlKey && { k: () => this.toggle() }[event.key.toLowerCase()]);
      if (press) { event.preventDefault(); press(); }
    });
    new ResizeObserver(() => this.draw()).observe(this.svg);
    this.read();
  }

  // The panel was replaced: its tracks are the newest.
  read() {
    const text = document.getElementById("tracks")?.textContent;
    this.all = text ? JSON.parse(text) : {};
    const names = Object.keys(this.all);
    if (!names.includes(this.name)) this.name = names[0] ?? null;
    this.select.replaceChildren(...names.map((name) => new Option(this.all[name].label, name, false, name === this.name)));
    this.section.hidden = names.length === 0;
    this.draw();
  }

  // The part of the knot that is open shows its own track, where it has one.
  prefer(prefix) {
    const own = Object.keys(this.all).find((name) => name.startsWith(prefix));
    if (own && !this.name?.startsWith(prefix)) { this.name = own; this.select.value = own; this.draw(); }
  }

  get track() { return this.name && this.all[this.name]; }

  valueAt(name, frame) { return this.all[name]?.values.find(([number]) => number === frame)?.[1]; }

  hasKey(name, frame) { return this.all[name]?.keys.some((key) => key.frame === frame) ?? false; }

  toggle(name = this.name) {
    if (!name) return;
    const frame = this.now();
    this.name = name;
    if (this.hasKey(name, frame)) this.set({ [`${name}@${frame}`]: "" });
    else this.set({ [`${name}@${frame}`]: this.#typed(name) ?? this.#plain(this.valueAt(name, frame)) });
  }

  #typed(name) { return document.querySelector(`[name="${CSS.escape(name)}"]`)?.value; }

  #plain(value) { return value.length > 3 ? value.reduce((text, v, i) => text + (i % 2 ? `,${v}` : `${i ? " " : ""}${v}`), "") : value.join(" "); }

  step(by) {
    const at = this.track?.keys.map((key) => key.frame) ?? [], now = this.now();
    const to = by > 0 ? at.find((frame) => frame > now) : at.findLast((frame) => frame < now);
    if (to !== undefined) this.go(to);
  }

  #keyBefore() {
    const keys = this.track?.keys ?? [];
    return keys.findLast((key) => key.frame <= this.now()) ?? keys[0];
  }

  draw() {
    const { svg, track } = this, width = svg.clientWidth, height = svg.clientHeight, now = this.now();
    this.#mark();
    svg.replaceChildren();
    if (!track || !width) return;
    // The same columns as the frames below, so that a key stands over its frame.
    const list = document.querySelector("#frames ol").getBoundingClientRect(), box = svg.getBoundingClientRect();
    const wide = list.width / this.frames.length, left = list.left - box.left;
    const x = (frame) => left + (this.frames.indexOf(this.frames.reduce((a, b) => (Math.abs(b - frame) < Math.abs(a - frame) ? b : a))) + 0.5) * wide;
    const of = (value) => (value.length > 1 ? value.reduce((a, b) => a + b) / value.length : value[0]);
    const values = [...track.values.map(([, v]) => of(v)), ...track.keys.map((key) => of(key.value))];
    const low = Math.min(...values), high = Math.max(...values), span = high - low || Math.abs(high) || 1;
    const y = (v) => (high === low ? height / 2 : height - BOTTOM - ((v - low) / span) * (height - TOP - BOTTOM));
    const value = (at) => low + ((height - BOTTOM - at) / (height - TOP - BOTTOM)) * span;
    svg.append(make("path", { class: "now", d: `M${x(now)} 0V${height}` }));
    svg.append(make("path", { class: "course", d: `M${track.values.map(([frame, v]) => `${x(frame).toFixed(1)} ${y(of(v)).toFixed(1)}`).join("L")}` }));
    svg.append(make("text", { class: "aside", x: 4, y: y(high) + (high === low ? -6 : 4) }, String(Number(high.toPrecision(4)))));
    if (high !== low) svg.append(make("text", { class: "aside", x: 4, y: y(low) + 4 }, String(Number(low.toPrecision(4)))));
    for (const key of track.keys) {
      const at = [x(key.frame), y(of(key.value))];
      const shape = make("path", { class: `key-mark${key.frame === now ? " is-now" : ""}`, "data-key-frame": key.frame, d: `M${at[0]} ${at[1] - 6}l6 6l-6 6l-6-6z` });
      shape.append(make("title", {}, `${key.frame}: ${key.value.map((v) => Number(v.toPrecision(4))).join(" ")}, then ${key.then}`));
      shape.addEventListener("pointerdown", (event) => this.#drag(event, key, { left, wide, value, box, isOne: key.value.length === 1 }));
      svg.append(shape);
    }
  }

  // A key is dragged to another frame and, where it is one number, to another value; a press without a drag goes there.
  #drag(event, key, { left, wide, value, box, isOne }) {
    event.preventDefault();
    const from = [event.clientX, event.clientY];
    let frame = key.frame, v = key.value[0], moved = false;
    const mark = event.target;
    const move = ({ clientX, clientY }) => {
      moved ||= Math.hypot(clientX - from[0], clientY - from[1]) > 4;
      if (!moved) return;
      frame = this.frames[Math.min(this.frames.length - 1, Math.max(0, Math.floor((clientX - box.left - left) / wide)))];
      v = Math.abs(clientY - from[1]) > 4 && isOne ? Number(value(clientY - box.top).toPrecision(4)) : key.value[0];
      mark.setAttribute("transform", `translate(${clientX - from[0]} ${isOne ? clientY - from[1] : 0})`);
    };
    const drop = () => {
      removeEventListener("pointermove", move);
      removeEventListener("pointerup", drop);
      if (!moved) return this.go(key.frame);
      if (frame !== key.frame && this.hasKey(this.name, frame)) return this.draw();
      const typed = isOne ? String(v) : this.#plain(key.value);
      this.set({ ...(frame === key.frame ? {} : { [`${this.name}@${key.frame}`]: "" }), [`${this.name}@${frame}`]: typed, [`${this.name}@${frame}.then`]: key.then });
    };
    addEventListener("pointermove", move);
    addEventListener("pointerup", drop);
  }

  // Presses beside the fields, fields themselves and the tools say how it is at the shown frame.
  #mark() {
    const now = this.now();
    document.querySelectorAll("[data-key]").forEach((button) => {
      button.classList.toggle("is-here", this.hasKey(button.dataset.key, now));
      button.setAttribute("aria-pressed", String(this.hasKey(button.dataset.key, now)));
    });
    for (const name of Object.keys(this.all)) {
      const field = document.querySelector(`[name="${CSS.escape(name)}"]`), value = this.valueAt(name, now);
      if (!field || !value || field === document.activeElement) continue;
      field.value = field.defaultValue = value.map((v) => Number(v.toPrecision(4))).join(" ");
    }
    document.querySelectorAll("[data-shows]").forEach((place) => {
      const value = this.valueAt(place.dataset.shows, now);
      if (value) place.textContent = `${Number(value[0].toPrecision(4))} ${place.dataset.unit}`;
    });
    const here = this.section.querySelector("[data-key-here]");
    here.setAttribute("aria-pressed", String(Boolean(this.name) && this.hasKey(this.name, now)));
    const then = this.#keyBefore()?.then;
    this.section.querySelectorAll("[name=key-then]").forEach((input) => { input.checked = input.value === then; });
    const value = this.name && this.valueAt(this.name, now);
    document.getElementById("track-value").textContent = value && value.length <= 3 ? value.map((v) => Number(v.toPrecision(4))).join(" ") : "";
  }
}
