// The keyboard on the bench; a knot adds keys of its own.
import { isTyping } from "../page.js";
import { expose, setMode } from "./compare.js";
import { step } from "./frames.js";
import { play } from "./playing.js";
import { take } from "./picking.js";

const MODES = ["one", "wipe", "beside", "difference"];

function presses(desk) {
  const { well, script } = desk, modes = [...MODES, ...(script.modes ?? [])];
  return {
    ArrowLeft: () => step(desk, -1), ArrowRight: () => step(desk, 1), " ": () => play(desk),
    "[": () => expose(desk, well.stops - 0.5), "]": () => expose(desk, well.stops + 0.5),
    f: () => well.fit(), z: () => well.oneToOne(), ...script.keys,
    ...Object.fromEntries(modes.map((mode, i) => [String(i + 1), () => setMode(desk, mode)])),
  };
}

export function setUpKeys(desk) {
  document.addEventListener("keydown", (event) => {
    const { drawing, brush, script } = desk;
    if (event.key === "Escape") { take(desk, null); drawing.leave(); brush.leave(); }
    if (event.key === "Enter" && drawing.isOn) return drawing.close();
    if (isTyping(event) || event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented) return;
    if (event.target.closest(".handle, .wipe")) return;
    if (script.arrow?.(event)) return event.preventDefault();
    const press = presses(desk)[event.key.length === 1 ? event.key.toLowerCase() : event.key];
    const belongsToField = (event.key === " " && event.target.closest("button, input")) || (event.key.startsWith("Arrow") && event.target.closest("input"));
    if (!press || belongsToField) return;
    event.preventDefault();
    press();
  });
}
