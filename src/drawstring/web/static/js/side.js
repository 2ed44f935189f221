// The frame's points from the side: the camera at the left edge, its view's cone, and what is settled along it.
import { make } from "./strip.js";

const FOOT = 20;

export class Side {
  constructor(svg) {
    Object.assign(this, { svg, data: null });
    new ResizeObserver(() => this.draw()).observe(svg);
  }

  show(data) {
    this.data = data;
    this.draw();
  }

  draw() {
    const { svg, data } = this, width = svg.clientWidth, height = svg.clientHeight - FOOT;
    svg.replaceChildren();
    if (!data || !width) return;
    if (!data.ready) { svg.append(make("text", { x: 12, y: 64 }, data.why)); return; }
    const x = (z) => (z / data.far) * width, y = (up) => height / 2 - (up / data.top) * (height / 2);
    const clip = (z, up) => `${x(z).toFixed(1)} ${Math.min(height, Math.max(0, y(up))).toFixed(1)}`;
    const wide = width / data.columns, tall = height / data.rows;
    for (const level of [0.3, 0.5, 0.7, 1]) {
      const cells = data.counts.filter(([, , v]) => v <= level && v > level - (level === 0.3 ? 0.3 : level === 1 ? 0.3 : 0.2));
      svg.append(make("path", { class: "points", opacity: level, d: cells.map(([row, col]) => `M${(col * wide).toFixed(1)} ${(height - (row + 1) * tall).toFixed(1)}h${wide.toFixed(2)}v${tall.toFixed(2)}h-${wide.toFixed(2)}z`).join("") }));
    }
    const reach = Math.min(data.far, data.top / data.slope);
    svg.append(make("path", { class: "cone", d: `M${clip(reach, reach * data.slope)}L${clip(0, 0)}L${clip(reach, -reach * data.slope)}` }));
    svg.append(make("circle", { class: "camera", cx: 4, cy: y(0), r: 4 }));
    const wall = (z, name, label, up = 12) => {
      if (!z || z > data.far) return;
      svg.append(make("path", { class: name, d: `M${x(z)} 0V${height}` }), make("text", { class: "aside", x: x(z) + 4, y: up }, label));
    };
    wall(data.near_at, "end", "near");
    wall(data.far_at, "end", "far");
    if (data.far_at > data.far) svg.append(make("text", { class: "aside", x: width - 6, y: 12, "text-anchor": "end" }, `far at ${Number(data.far_at.toPrecision(4))} ${data.unit} →`));
    data.mist.forEach((one, i) => {
      const end = Math.min(one.end, data.far);
      svg.append(make("rect", { class: "mist-span", x: x(one.start), y: 0, width: Math.max(1, x(end) - x(one.start)), height }));
      svg.append(make("text", { class: "aside", x: x(one.start) + 4, y: 26 + 13 * i }, one.name));
    });
    if (data.focus && data.focus.distance < data.far) {
      // The sharp plane z - lean * up = distance: upright unless the lens is tilted.
      const at = (up) => data.focus.distance + data.focus.lean * up;
      svg.append(make("path", { class: "sharp-plane", d: `M${clip(Math.max(0, at(data.top)), data.top)}L${clip(Math.max(0, at(-data.top)), -data.top)}` }));
      svg.append(make("text", { class: "pointer-note", x: x(data.focus.distance) + 5, y: height - 6 }, "sharp"));
    }
    data.clips.forEach((clipAt) => wall(clipAt, "clip", "clip plane", 40));
    svg.append(make("path", { class: "axis", d: `M0 ${height}H${width}` }));
    for (const { at, label } of data.ticks) svg.append(make("text", { class: "tick", x: x(at), y: height + 15, "text-anchor": "middle" }, label));
  }
}
