// Scene on the bench: lights, beams and cards beside the picture, or with its points in 3D.
import { chooseLayer, openPart } from "../bench/parts.js";
import { settle } from "../bench/trying.js";
import { make } from "../strip.js";

const MADE = { lights: ["picture", "scene_light"], beams: ["picture", "scene_beams"], cards: ["picture", "scene_cards"] };

// Where the picture's points are seen, over the picture: as the file is read now, and as it fits better.
class Held {
  constructor(desk) {
    this.desk = desk;
    this.svg = make("svg", { class: "held", "aria-hidden": "true" });
    desk.wellElement.append(this.svg);
    desk.wellElement.addEventListener("well-drawn", () => this.draw());
  }

  async toggle(on = !this.on) {
    this.on = on;
    document.getElementById("held-on").setAttribute("aria-pressed", String(on));
    if (!on) this.desk.say("");
    await this.load();
  }

  async load() {
    const { desk } = this;
    this.told = null;
    if (this.on) {
      const answer = await desk.ask(`/frames/${desk.frame}/scene/held`), told = await answer.json();
      if (!this.on) return;
      if (answer.ok) this.told = told;
      desk.say(answer.ok ? this.words(told) : told.error?.what ?? "The camera can't be held against the points.");
    }
    this.draw();
  }

  words({ now, off, fits, left }) {
    if (!now) return "No camera counts yet: choose one of the file's.";
    const far = off === null ? "far outside the picture" : `${off} px from their pixels`;
    return fits ? `○ the pixel · × as the file is read now: ${far} · + ${fits}: ${left} px` : `○ the pixel · × where the camera sees its point: ${far}`;
  }

  draw() {
    const { well } = this.desk, { told } = this;
    this.svg.replaceChildren();
    if (!this.on || !told || well.scale === null || well.mode === "beside") return;
    told.spots.forEach((spot, i) => {
      const [x, y] = well.toWell(...spot);
      this.svg.append(make("circle", { cx: x, cy: y, r: 3.5 }));
      for (const [name, place, mark] of [["now", told.now?.[i], "M-3-3L3 3M-3 3L3-3"], ["after", told.after?.[i], "M-4 0H4M0-4V4"]]) {
        if (!place) continue;
        const [u, v] = well.toWell(...place);
        this.svg.append(make("path", { class: name, d: `M${x} ${y}L${u} ${v}` }), make("path", { class: `${name} end`, d: mark, transform: `translate(${u} ${v})` }));
      }
    });
  }
}

export function setUp(desk) {
  const held = new Held(desk);
  const button = document.getElementById("space-on"), more = document.getElementById("space-more");
  let space = null, isOn = false;

  const chosen = () => {
    const { part } = desk.place.dataset, item = desk.place.querySelector(`.part[data-of="${part}"] .layers li.is-chosen`);
    return item ? { part, layer: Number(item.dataset.layer) } : null;
  };

  async function toggle(on = !isOn) {
    isOn = on;
    button.setAttribute("aria-pressed", String(on));
    more.hidden = !on;
    if (on && !space) {
      desk.say("The scene is being set up …");
      const { Space } = await import("../space.js");
      space = new Space(desk, {
        // What is pressed in Space is chosen in the panel; what is dragged there is placed.
        choose: ({ part, layer }) => { chooseLayer(part, layer); openPart(desk, part); },
        move: ({ part, layer }, at) => settle(desk, { [`scene.${part}.${layer}.position`]: at.map((v) => v.toFixed(4)).join(" "), frame: desk.frame }),
      });
      desk.say("");
    }
    space?.show(isOn, chosen());
  }

  button.addEventListener("click", () => toggle());
  document.getElementById("held-on").addEventListener("click", () => held.toggle());
  document.getElementById("space-through").addEventListener("change", ({ target }) => space?.lookThrough(target.value));
  document.getElementById("space-frame").addEventListener("click", () => space?.toChosen());
  document.getElementById("space-most").addEventListener("change", ({ target }) => space?.setMost(Number(target.value)));
  document.body.addEventListener("recipe-changed", () => { if (isOn) space?.load(); held.load(); });
  return {
    hasParts: true, opensFirst: true,
    made: (part) => MADE[part] ?? ["picture"],
    prefix: (part, layer) => (MADE[part] ? `scene.${part}.${layer}.` : undefined),
    wholes: ["file", "lights", "beams", "cards"],
    opened: () => { if (isOn) space?.mark(chosen()); },
    frameChanged: () => { held.load(); return isOn ? space?.load() : null; },
    keys: { v: () => toggle() },
  };
}
