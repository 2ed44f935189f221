// Alpha on the bench: kinds, mattes, shadow and stack, with their evidence.
import { AlphaSide } from "../alphaside.js";
import { chooseLayer, chosenForm } from "../bench/parts.js";
import { take } from "../bench/picking.js";
import { refresh, settle, tryOut } from "../bench/trying.js";

const MADE = { kind: ["over_ground", "fringes"], shadow: ["shadow_multiply", "shadow_layer"], stack: ["stack"] };

export function setUp(desk) {
  const evidence = new AlphaSide(document.getElementById("alpha-evidence"), {
    shot: desk.shot, knot: desk.knot, now: () => desk.frame, set: (settings) => settle(desk, settings), counted: () => refresh(desk),
  });
  return {
    hasParts: true, wholes: ["kind", "shadow", "stack"], showsChosen: "mattes", opensFirst: true,
    made: (part) => (part === "mattes" ? [chosenForm(desk)?.dataset.result].filter(Boolean) : MADE[part]),
    prefix: (part, layer) => ({ mattes: `alpha.mattes.${layer}.`, shadow: "alpha.shadow.", stack: `alpha.stack.${layer}.` })[part],
    opened: (part, layer) => evidence.open(part, layer),
    frameChanged: () => evidence.show(),
    clicked(target) {
      if (!target.closest("[data-adds-layer]")) return;
      chooseLayer("stack", 99);
      settle(desk, { "alpha.stack.add": document.getElementById("layer-source").value });
    },
    fieldChanged(target) {
      if (target.name !== "look-over") return;
      desk.pictures.forget((picture) => picture.name === "over_ground");
      tryOut(desk, { "alpha.over": target.value });
    },
    keys: { c: () => take(desk, chosenForm(desk)?.querySelector("[data-take$=\".things\"]")?.dataset.take ?? null) },
  };
}
