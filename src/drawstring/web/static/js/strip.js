// The distance strip: Python's numbers drawn along an axis of distance; what is settled are its handles.

const NS = "http://www.w3.org/2000/svg";
const TOP = 6, FLOOR = 116;

export function make(name, attributes = {}, text = "") {
  const element = document.createElementNS(NS, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  if (text) element.textContent = text;
  return element;
}

export const short = (distance) => Number(distance.toPrecision(4));

export class Strip {
  // `onTry` is told {dotted name: value} while a handle moves, `onSet` when it is let go, `onHover` the band
  // of distances that is pointed at, or null.
  constructor(svg, { onTry, onSet, onHover }) {
    Object.assign(this, { svg, onTry, onSet, onHover, data: null, pointer: null, held: null, part: "range", layer: 1, isEven: false, objects: [] });
    new ResizeObserver(() => this.draw()).observe(svg);
    svg.addEventListener("pointermove", (event) => this.#hover(event));
    svg.addEventListener("pointerleave", () => { this.band = null; this.#drawPointer(); this.onHover(null); });
  }

  show(data) {
    // While a handle is held, the axis stays where it is.
    if (this.held && data.ready && this.data?.ready) data = { ...data, low: this.data.low, high: this.data.high };
    this.data = data;
    this.draw();
  }

  look(changes) {
    Object.assign(this, changes);
    this.draw();
  }

  point(distance) {
    this.pointer = distance;
    this.#drawPointer();
  }

  x(distance) {
    const { low, high } = this.data;
    const share = this.isEven ? (distance - low) / (high - low) : Math.log(distance / low) / Math.log(high / low);
    return share * this.width;
  }

  distance(x) {
    const { low, high } = this.data, share = x / this.width;
    return this.isEven ? low + (high - low) * share : low * (high / low) ** share;
  }

  // What can be taken hold of, by the part of Depth that is open. `to` gives the settings for a distance.
  handles() {
    const { data, part } = this;
    if (part === "range") {
      if (data.locked) return [];
      return ["near", "far"].map((end) => ({
        id: end, label: end, value: data[end] ?? data[end === "near" ? "nearest" : "furthest"], isOpen: !data[end], out: end === "near" ? -1 : 1,
        within: [end === "far" && data.near ? data.near * 1.001 : 0, end === "near" && data.far ? data.far * 0.999 : Infinity],
        to: (d) => ({ [`depth.${end}`]: short(d) }),
      }));
    }
    if (part === "mist") {
      const one = data.mist[this.layer - 1];
      if (!one || one.start === null) return [];
      const name = `depth.mist.${one.place}`;
      const start = { id: "start", label: "start", value: one.start, out: -1, within: [0, Infinity], to: (d) => ({ [`${name}.start`]: short(d) }) };
      const end = { id: "end", label: "full", value: one.end, out: 1, within: [one.start * 1.001, Infinity], to: (d) => ({ [`${name}.depth`]: short(d - one.start) }) };
      return one.end === null ? [start] : [start, end];
    }
    if (!data.focus) return [];
    return [{ id: "focus", label: "sharp", value: data.focus.distance, out: 1, within: [0, Infinity], to: (d) => ({ "depth.focus.distance": short(d) }) }];
  }

  draw() {
    const { svg, data } = this;
    this.width = svg.clientWidth;
    if (!data || this.width === 0) return;
    const focused = document.activeElement?.closest?.(".handle")?.dataset.end;
    svg.replaceChildren();
    if (!data.ready) {
      svg.append(make("text", { x: 12, y: 64 }, "Distances appear here when all frames are measured."));
      return;
    }
    const hatch = make("pattern", { id: "hatch", width: 6, height: 6, patternUnits: "userSpaceOnUse", patternTransform: "rotate(45)" });
    hatch.append(make("line", { class: "hatch", x1: 0, y1: 0, x2: 0, y2: 6 }));
    svg.append(hatch, make("path", { class: "all", d: this.#steps(data.all) }));
    if (data.this.length) svg.append(make("path", { class: "this", d: this.#steps(data.this.map((v) => v * 0.8)) }));
    this.#drawFocus(data.focus);
    this.#drawObjects();
    if (data.curve.length) svg.append(make("path", { class: `curve${this.part === "range" ? "" : " is-aside"}`, d: this.#line(data.curve) }));
    for (const one of data.mist) {
      if (one.on && one.curve.length) svg.append(make("path", { class: `mist-curve${this.part === "mist" && one.place === this.layer ? " is-chosen" : ""}`, d: this.#line(one.curve) }));
    }
    svg.append(make("path", { class: "axis", d: `M0 ${FLOOR}H${this.width}` }));
    let taken = -40;
    for (const { at, label } of this.isEven ? data.linear_ticks : data.ticks) {
      const x = this.x(at);
      svg.append(make("path", { class: "axis", d: `M${x} ${FLOOR}v5` }));
      if (x - taken < 34 || x < 12 || x > this.width - 14) continue;
      svg.append(make("text", { x, y: FLOOR + 18, "text-anchor": "middle" }, label));
      taken = x;
    }
    for (const clip of data.clips) {
      const x = this.x(clip);
      if (x > 2 && x < this.width - 2) svg.append(make("path", { class: "clip", d: `M${x} ${TOP}V${FLOOR}` }), make("text", { class: "aside", x: x + 4, y: 84 }, "clip plane"));
    }
    this.#drawOutside(data);
    for (const handle of this.handles()) this.#drawHandle(handle);
    this.#drawPointer();
    if (focused) svg.querySelector(`[data-end=${focused}]`)?.focus();
  }

  #line(curve) {
    return `M${curve.map(([z, v]) => `${this.x(z).toFixed(1)} ${(FLOOR - v * (FLOOR - TOP - 18)).toFixed(1)}`).join("L")}`;
  }

  #steps(shares) {
    const { edges } = this.data;
    let path = `M${this.x(edges[0])} ${FLOOR}`;
    shares.forEach((share, i) => { path += `V${FLOOR - share ** 0.5 * (FLOOR - TOP - 26)}H${this.x(edges[i + 1])}`; });
    return `${path}V${FLOOR}Z`;
  }

  // The blur's size at each distance, hanging from the top, and the band that stays sharp.
  #drawFocus(focus) {
    if (!focus) return;
    if (focus.sharp) {
      const from = Math.max(0, this.x(focus.sharp[0])), to = Math.min(this.width, focus.sharp[1] === null ? this.width : this.x(focus.sharp[1]));
      this.svg.append(make("rect", { class: "sharp", x: from, y: TOP, width: Math.max(2, to - from), height: FLOOR - TOP }));
      if (this.part === "focus") {
        const left = from < this.width - 260;
        this.svg.append(make("text", { class: "pointer-note", x: left ? to + 48 : from - 8, y: 15, "text-anchor": left ? "start" : "end" }, focus.says));
      }
    }
    if (focus.curve.length) this.svg.append(make("path", { class: `blur-curve${this.part === "focus" ? " is-chosen" : ""}`, d: this.#line(focus.curve) }));
  }

  #drawObjects() {
    this.objects.slice(0, 6).sort((a, b) => b.low - a.low).forEach((one, i) => {
      const from = this.x(Math.max(one.low, this.data.low)), to = Math.max(from + 3, this.x(Math.min(one.high, this.data.high))), y = FLOOR - 8 - 12 * i;
      const group = make("g", { class: "object" });
      group.append(make("path", { d: `M${from} ${y}H${to}` }), make("text", { x: to + 170 > this.width ? from - 5 : to + 5, y: y + 4, "text-anchor": to + 170 > this.width ? "end" : "start" }, one.name.replaceAll("_", " ")));
      this.svg.append(group);
    });
  }

  #drawOutside(data) {
    for (const end of ["near", "far"]) {
      if (!data[end]) continue;
      const held = this.held?.id === end ? this.held.distance : data[end], near = end === "near";
      const x = Math.min(this.width - 1, Math.max(1, this.x(held)));
      if (this.part !== "range") {
        this.svg.append(make("path", { class: "end", d: `M${x} ${TOP}V${FLOOR}` }), make("text", { class: "aside", x: near ? x + 4 : x - 4, y: 40, "text-anchor": near ? "start" : "end" }, end));
        continue;
      }
      const box = near ? { x: 0, width: x } : { x, width: this.width - x };
      this.svg.append(make("rect", { class: "outside", y: 0, height: FLOOR, ...box }), make("rect", { fill: "url(#hatch)", y: 0, height: FLOOR, ...box }));
      if (data.locked) this.svg.append(make("path", { class: "end is-locked", d: `M${x} 0V${FLOOR}` }), make("text", { class: "aside", x: near ? x + 5 : x - 5, y: 14, "text-anchor": near ? "start" : "end" }, `${end}, locked`));
      const room = near ? x > 110 : this.width - x > 110;
      const inward = near ? x + 6 : x - 6, outward = near ? x - 8 : x + 8;
      this.svg.append(make("text", { class: "share", x: room ? outward : inward, y: FLOOR - 6, "text-anchor": room === near ? "end" : "start" }, near ? data.nearer : data.further));
    }
  }

  #drawHandle(one) {
    const { data } = this, value = this.held?.id === one.id ? this.held.distance : one.value;
    const x = Math.min(this.width - 1, Math.max(1, this.x(Math.max(value, data.low * 1e-3))));
    const handle = make("g", {
      class: "handle", tabindex: 0, role: "slider", "data-end": one.id, "aria-label": one.label[0].toUpperCase() + one.label.slice(1),
      "aria-valuenow": value, "aria-valuemin": data.low, "aria-valuemax": data.high,
      "aria-valuetext": one.isOpen ? "open" : `${value.toPrecision(4)} ${data.unit}`,
    });
    const tab = (one.out < 0 ? x : this.width - x) < 46 ? -one.out : one.out, wide = one.label.length > 4 ? 44 : 36;
    handle.append(
      make("rect", { x: x - 9, y: 0, width: 18, height: FLOOR }),
      make("line", { x1: x, x2: x, y1: 0, y2: FLOOR, "stroke-dasharray": one.isOpen ? "3 3" : "none" }),
      make("path", { d: `M${x} 0h${tab * wide}v18l${-tab * 10} 0L${x} 26Z` }),
      make("text", { x: x + (tab * wide) / 2, y: 13, "text-anchor": "middle" }, one.label),
    );
    handle.addEventListener("pointerdown", (event) => this.#grab(event, one));
    handle.addEventListener("keydown", (event) => this.#nudge(event, one));
    this.svg.append(handle);
  }

  #drawPointer() {
    this.svg.querySelectorAll(".pointer, .pointer-note.at, .band").forEach((old) => old.remove());
    if (!this.data?.ready) return;
    if (this.band) this.svg.append(make("rect", { class: "band", x: this.x(this.band[0]), y: TOP, width: Math.max(2, this.x(this.band[1]) - this.x(this.band[0])), height: FLOOR - TOP }));
    if (!(this.pointer > 0) || this.pointer > 1e9) return;
    const x = this.x(this.pointer), left = x > this.width - 90;
    this.svg.append(
      make("line", { class: "pointer", x1: x, x2: x, y1: 20, y2: FLOOR }),
      make("text", { class: "pointer-note at", x: x + (left ? -5 : 5), y: 38, "text-anchor": left ? "end" : "start" }, `${this.pointer.toPrecision(4)} ${this.data.unit}${this.#blurAt(this.pointer)}`),
    );
  }

  #blurAt(distance) {
    const radii = this.part === "focus" ? this.data.focus?.radii : null, after = radii?.findIndex(([z]) => z >= distance);
    return radii && after >= 0 ? `, blur ${radii[after][1].toFixed(1)} px` : "";
  }

  #hover(event) {
    if (!this.data?.ready || this.held || event.buttons) return;
    const x = event.clientX - this.svg.getBoundingClientRect().left, from = this.distance(Math.max(0, x - 3)), to = this.distance(x + 3);
    this.band = [from, to];
    this.point(this.distance(x));
    this.onHover(this.band);
  }

  #grab(event, one) {
    event.preventDefault();
    const begin = this.svg.getBoundingClientRect().left;
    this.band = null;
    this.onHover(null);
    this.held = { id: one.id, distance: one.value };
    const move = (moved) => this.#moveTo(one, this.distance(Math.min(this.width, Math.max(0, moved.clientX - begin))));
    const drop = () => {
      removeEventListener("pointermove", move);
      removeEventListener("pointerup", drop);
      removeEventListener("pointercancel", drop);
      const { distance } = this.held;
      this.held = null;
      this.onSet(one.to(distance));
    };
    addEventListener("pointermove", move);
    addEventListener("pointerup", drop);
    addEventListener("pointercancel", drop);
    this.#moveTo(one, one.value);
    this.svg.querySelector(`[data-end=${one.id}]`)?.focus();
  }

  // A handle stops at its neighbour while it is dragged: the hand is stopped, not the picture broken.
  #moveTo(one, distance) {
    const within = Math.min(one.within[1], Math.max(one.within[0], distance));
    this.held = { id: one.id, distance: short(within) };
    this.draw();
    this.onTry(one.to(this.held.distance));
  }

  #nudge(event, one) {
    const step = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key];
    if (!step) return;
    event.preventDefault();
    event.stopPropagation();
    this.#moveTo(one, (this.held?.id === one.id ? this.held.distance : one.value) * (1 + 0.01 * step * (event.shiftKey ? 10 : 1)));
    clearTimeout(this.later);
    this.later = setTimeout(() => {
      const { distance } = this.held;
      this.held = null;
      this.onSet(one.to(distance));
    }, 350);
  }
}
