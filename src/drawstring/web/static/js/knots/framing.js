// Framing on the bench: the picture dragged in its frame; frame, safe areas and letterbox drawn over it.
import { AlphaSide } from "../alphaside.js";
import { settle, tryOut } from "../bench/trying.js";
import { make } from "../strip.js";

// Shares of the frame that stay free of what must be seen: EBU R 95, action and graphics safe area.
const SAFE = [0.93, 0.9];

class Guides {
  constructor(desk) {
    this.desk = desk;
    this.svg = make("svg", { class: "guides", "aria-hidden": "true" });
    desk.wellElement.append(this.svg);
    desk.wellElement.addEventListener("well-drawn", () => this.draw());
  }

  draw() {
    const { well, place } = this.desk, picture = well.pictures[0];
    this.svg.replaceChildren();
    if (well.scale === null || !picture || well.mode === "beside" || place.dataset.part === "grid") return;
    const [x, y, w, h] = well.display;
    const box = (left, top, wide, high, name) => {
      const [a, b] = well.toWell(left, top), [c, d] = well.toWell(left + wide, top + high);
      this.svg.append(make("rect", { x: a, y: b, width: Math.max(0, c - a), height: Math.max(0, d - b), class: name }));
    };
    if (String(picture.window) !== String(well.display)) box(...picture.window, "reach");
    box(x, y, w, h, "frame");
    for (const share of SAFE) box(x + (w * (1 - share)) / 2, y + (h * (1 - share)) / 2, w * share, h * share, "safe");
    const ratio = Number(place.querySelector("[data-ratio]")?.value) || 0;
    if (!ratio) return;
    const wide = Math.min(w, h * ratio), high = Math.min(h, w / ratio);
    box(x + (w - wide) / 2, y + (h - high) / 2, wide, high, "letterbox");
  }
}

// The whole picture under the hand: tried out while it moves, written when it is let go.
class Hand {
  constructor(desk) { this.desk = desk; this.on = false; }

  get button() { return document.getElementById("drag-frame"); }

  toggle(on = !this.on) {
    this.on = on;
    this.button?.setAttribute("aria-pressed", String(on));
    this.desk.say(on ? "Drag the picture in its frame; Shift and arrows move it by a pixel." : "");
  }

  at(name) { return Number(this.desk.place.querySelector(`[name='framing.whole.${name}']`)?.value) || 0; }

  by(right, down) {
    if (this.desk.place.querySelector("[name='framing.moves_in']")?.value === "%") {
      const [, , wide, high] = this.desk.well.display;
      return { "framing.whole.right": (this.at("right") + (100 * right) / wide).toFixed(4), "framing.whole.down": (this.at("down") + (100 * down) / high).toFixed(4) };
    }
    return { "framing.whole.right": (this.at("right") + right).toFixed(2), "framing.whole.down": (this.at("down") + down).toFixed(2) };
  }

  dragged(x, y) {
    if (!this.on) return false;
    const { well } = this.desk, per = well.ratio / well.scale;
    // Whoever drags has read it.
    if (!this.held) this.desk.say("");
    this.held = this.by(x * per, y * per);
    tryOut(this.desk, this.held);
    return true;
  }

  dropped() {
    if (this.held) settle(this.desk, { ...this.held, frame: this.desk.frame });
    this.held = null;
  }
}

export function setUp(desk) {
  const hand = new Hand(desk), guides = new Guides(desk);
  const evidence = new AlphaSide(document.getElementById("framing-evidence"), {
    shot: desk.shot, knot: desk.knot, now: () => desk.frame, set: (settings) => settle(desk, settings),
  });
  const arrows = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
  return {
    hasParts: true, opensFirst: true,
    made: (part) => (part === "grid" ? ["views_grid", "picture"] : ["picture"]),
    prefix: (part) => (part === "move" ? "framing.whole." : undefined),
    opened: (part, layer) => { evidence.open(part, layer); guides.draw(); if (part !== "move") hand.toggle(false); },
    wholes: ["frame", "move", "lens", "grid", "filter"],
    frameChanged: () => evidence.show(),
    changed: () => { hand.button?.setAttribute("aria-pressed", String(hand.on)); },
    clicked(target) {
      if (target.closest("#drag-frame")) hand.toggle();
      if (target.closest("[data-fit]")) {
        const values = { with: document.getElementById("fit-with").value, frame: desk.frame };
        htmx.ajax("GET", `/shots/${desk.shot}/framing/fit`, { target: "#fit-found", values });
      }
    },
    dragged: (x, y) => hand.dragged(x, y),
    dropped: () => hand.dropped(),
    arrow(event) {
      const by = event.shiftKey && arrows[event.key];
      if (by) settle(desk, { ...hand.by(...by), frame: desk.frame });
      return Boolean(by);
    },
    keys: { p: () => hand.toggle() },
  };
}
