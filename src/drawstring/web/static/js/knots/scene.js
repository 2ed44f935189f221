// Scene on the bench: lights, beams and cards beside the picture, or with its points in 3D.
import { chooseLayer, openPart } from "../bench/parts.js";
import { settle } from "../bench/trying.js";

const MADE = { lights: ["picture", "scene_light"], beams: ["picture", "scene_beams"], cards: ["picture", "scene_cards"] };

export function setUp(desk) {
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
  document.getElementById("space-through").addEventListener("change", ({ target }) => space?.lookThrough(target.value));
  document.getElementById("space-frame").addEventListener("click", () => space?.toChosen());
  document.getElementById("space-most").addEventListener("change", ({ target }) => space?.setMost(Number(target.value)));
  document.body.addEventListener("recipe-changed", () => { if (isOn) space?.load(); });
  return {
    hasParts: true, opensFirst: true,
    made: (part) => MADE[part] ?? ["picture"],
    prefix: (part, layer) => (MADE[part] ? `scene.${part}.${layer}.` : undefined),
    wholes: ["file", "lights", "beams", "cards"],
    opened: () => { if (isOn) space?.mark(chosen()); },
    frameChanged: () => { if (isOn) return space?.load(); return null; },
    keys: { v: () => toggle() },
  };
}
