// Nearest, middle and furthest distance of every frame: whether a range holds for all of them is seen at once.
import { make } from "./strip.js";

const LEFT = 46, BOTTOM = 6;

export class OverFrames {
  // `onGo` is told the frame that was clicked.
  constructor(svg, onGo) {
    Object.assign(this, { svg, onGo, data: null, frame: null });
    new ResizeObserver(() => this.draw()).observe(svg);
  }

  show(data, frame) {
    Object.assign(this, { data, frame });
    this.draw();
  }

  draw() {
    const { svg, data } = this, width = svg.clientWidth, height = svg.clientHeight;
    svg.replaceChildren();
    if (!data?.ready || !width || !data.frames.length) return;
    const first = data.frames[0][0], last = data.frames.at(-1)[0], room = width - LEFT;
    const y = (z) => BOTTOM + (1 - Math.log(z / data.low) / Math.log(data.high / data.low)) * (height - 2 * BOTTOM);
    const step = room / (last - first + 1), left = (n) => LEFT + (n - first) * step, middle = (n) => left(n) + step / 2;
    const line = (at) => data.frames.map((one) => `${middle(one[0]).toFixed(1)} ${y(one[at]).toFixed(1)}`);
    svg.append(make("path", { class: "all", d: `M${line(1).join("L")}L${line(3).reverse().join("L")}Z` }));
    svg.append(make("path", { class: "curve", d: `M${line(2).join("L")}` }));
    for (const tick of data.ticks) svg.append(make("text", { class: "tick", x: LEFT - 6, y: y(tick.at) + 4, "text-anchor": "end" }, tick.label));
    for (const end of ["near", "far"]) {
      if (!data[end]) continue;
      svg.append(make("line", { class: "end", x1: LEFT, x2: width, y1: y(data[end]), y2: y(data[end]) }));
      svg.append(make("text", { class: "end-name", x: width - 4, y: y(data[end]) + (end === "near" ? 13 : -4), "text-anchor": "end" }, `${end} ${Number(data[end].toPrecision(4))} ${data.unit}`));
    }
    for (const [number, nearest, median, furthest] of data.frames) {
      const leaves = (data.near && nearest < data.near * 0.98) || (data.far && furthest > data.far * 1.02);
      const column = make("rect", { class: `column${number === this.frame ? " is-now" : ""}${leaves ? " is-flagged" : ""}`, x: left(number), width: step, y: 0, height });
      column.append(make("title", {}, `${number}: ${nearest.toPrecision(4)} to ${furthest.toPrecision(4)} ${data.unit}, half of it nearer than ${median.toPrecision(4)}${leaves ? ", leaves the range" : ""}`));
      column.addEventListener("click", () => this.onGo(number));
      svg.append(column);
    }
  }
}
