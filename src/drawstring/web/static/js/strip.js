// The distance strip: Python's numbers drawn along a logarithmic axis, near and far as handles.

const NS = "http://www.w3.org/2000/svg";
const TOP = 6, FLOOR = 116;

export function make(name, attributes = {}, text = "") {
  const element = document.createElementNS(NS, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  if (text) element.textContent = text;
  return element;
}

export class Strip {
  // `onTry` is told while a handle moves, `onSet` when it is let go.
  constructor(svg, { onTry, onSet }) {
    Object.assign(this, { svg, onTry, onSet, data: null, pointer: null, moving: null });
    new ResizeObserver(() => this.draw()).observe(svg);
  }

  show(data) {
    if (this.moving && data.ready && this.data?.ready) {
      // While a handle is held, the hand knows better than the answer where it is; the axis stays, too.
      data = { ...data, [this.moving]: this.data[this.moving], low: this.data.low, high: this.data.high };
    }
    this.data = data;
    this.draw();
  }

  point(distance) {
    this.pointer = distance;
    this.#drawPointer();
  }

  x(distance) {
    const { low, high } = this.data;
    return (Math.log(distance / low) / Math.log(high / low)) * this.width;
  }

  distance(x) {
    const { low, high } = this.data;
    return low * (high / low) ** (x / this.width);
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
    if (data.curve.length) {
      const points = data.curve.map(([z, v]) => `${this.x(z).toFixed(1)} ${(FLOOR - v * (FLOOR - TOP - 18)).toFixed(1)}`);
      svg.append(make("path", { class: "curve", d: `M${points.join("L")}` }));
    }
    svg.append(make("path", { class: "axis", d: `M0 ${FLOOR}H${this.width}` }));
    let taken = -40;
    for (const { at, label } of data.ticks) {
      const x = this.x(at);
      svg.append(make("path", { class: "axis", d: `M${x} ${FLOOR}v5` }));
      if (x - taken < 34 || x < 12 || x > this.width - 14) continue;
      svg.append(make("text", { x, y: FLOOR + 18, "text-anchor": "middle" }, label));
      taken = x;
    }
    for (const end of ["near", "far"]) this.#drawEnd(end, data);
    this.#drawPointer();
    if (focused) svg.querySelector(`[data-end=${focused}]`)?.focus();
  }

  #steps(shares) {
    const { edges } = this.data;
    let path = `M${this.x(edges[0])} ${FLOOR}`;
    shares.forEach((share, i) => { path += `V${FLOOR - share ** 0.5 * (FLOOR - TOP - 26)}H${this.x(edges[i + 1])}`; });
    return `${path}V${FLOOR}Z`;
  }

  #drawEnd(end, data) {
    const value = data[end] ?? data[end === "near" ? "nearest" : "furthest"];
    const x = Math.min(this.width - 1, Math.max(1, this.x(value))), near = end === "near";
    if (data[end]) {
      const box = near ? { x: 0, width: x } : { x, width: this.width - x };
      this.svg.append(make("rect", { class: "outside", y: 0, height: FLOOR, ...box }), make("rect", { fill: "url(#hatch)", y: 0, height: FLOOR, ...box }));
      const share = near ? data.nearer : data.further;
      const room = near ? x > 110 : this.width - x > 110;
      const inward = near ? x + 6 : x - 6, outward = near ? x - 8 : x + 8;
      this.svg.append(make("text", { x: room ? outward : inward, y: FLOOR - 6, "text-anchor": room === near ? "end" : "start" }, share));
    }
    const handle = make("g", {
      class: "handle", tabindex: 0, role: "slider", "data-end": end, "aria-label": near ? "Near" : "Far",
      "aria-valuenow": value, "aria-valuemin": data.low, "aria-valuemax": data.high,
      "aria-valuetext": data[end] ? `${value.toPrecision(4)} ${data.unit}` : "open",
    });
    const out = near ? -1 : 1, tab = Math.min(40, near ? x : this.width - x) < 40 ? -out : out;
    handle.append(
      make("rect", { x: x - 9, y: 0, width: 18, height: FLOOR }),
      make("line", { x1: x, x2: x, y1: 0, y2: FLOOR, "stroke-dasharray": data[end] ? "none" : "3 3" }),
      make("path", { d: `M${x} 0h${tab * 36}v18l${-tab * 10} 0L${x} 26Z` }),
      make("text", { x: x + tab * 18, y: 13, "text-anchor": "middle" }, end),
    );
    handle.addEventListener("pointerdown", (event) => this.#grab(event, end));
    handle.addEventListener("keydown", (event) => this.#nudge(event, end));
    this.svg.append(handle);
  }

  #drawPointer() {
    this.svg.querySelectorAll(".pointer, .pointer-note").forEach((old) => old.remove());
    if (!this.data?.ready || !(this.pointer > 0) || this.pointer > 1e9) return;
    const x = this.x(this.pointer), left = x > this.width - 90;
    this.svg.append(
      make("line", { class: "pointer", x1: x, x2: x, y1: 20, y2: FLOOR }),
      make("text", { class: "pointer-note", x: x + (left ? -5 : 5), y: 38, "text-anchor": left ? "end" : "start" }, `${this.pointer.toPrecision(4)} ${this.data.unit}`),
    );
  }

  #grab(event, end) {
    event.preventDefault();
    const begin = this.svg.getBoundingClientRect().left;
    this.moving = end;
    const move = (moved) => {
      const x = Math.min(this.width, Math.max(0, moved.clientX - begin));
      this.#moveTo(end, this.distance(x));
    };
    const drop = () => {
      removeEventListener("pointermove", move);
      removeEventListener("pointerup", drop);
      removeEventListener("pointercancel", drop);
      this.moving = null;
      this.onSet(end, this.data[end]);
    };
    addEventListener("pointermove", move);
    addEventListener("pointerup", drop);
    addEventListener("pointercancel", drop);
    this.#moveTo(end, this.data[end] ?? this.data[end === "near" ? "nearest" : "furthest"]);
    this.svg.querySelector(`[data-end=${end}]`)?.focus();
  }

  // Near stays before far while it is dragged: the hand is stopped, not the picture broken.
  #moveTo(end, distance) {
    const { near, far } = this.data;
    if (end === "near" && far) distance = Math.min(distance, far * 0.999);
    if (end === "far" && near) distance = Math.max(distance, near * 1.001);
    this.data = { ...this.data, [end]: Number(distance.toPrecision(4)) };
    this.draw();
    this.onTry(end, this.data[end]);
  }

  #nudge(event, end) {
    const step = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key];
    if (!step) return;
    event.preventDefault();
    event.stopPropagation();
    const from = this.data[end] ?? this.data[end === "near" ? "nearest" : "furthest"];
    this.#moveTo(end, from * (1 + 0.01 * step * (event.shiftKey ? 10 : 1)));
    clearTimeout(this.later);
    this.later = setTimeout(() => this.onSet(end, this.data[end]), 350);
  }
}
