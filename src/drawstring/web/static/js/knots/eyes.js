// Eyes on the bench: two eyes at once, glasses, all-round pictures turned by hand.
import { AlphaSide } from "../alphaside.js";
import { setMode } from "../bench/compare.js";
import { refresh, settle } from "../bench/trying.js";

const MADE = { pair: ["eye_left"], parallax: ["parallax"], glasses: ["anaglyph"], round: ["eye_left"] };
const MODES = ["crossed", "flicker", "anaglyph", "lines"];
const PAIR_MODES = ["beside", "wipe", "difference", ...MODES];
const TURNS = { ArrowLeft: [-5, 0], ArrowRight: [5, 0], ArrowUp: [0, 5], ArrowDown: [0, -5] };

const within = (degrees) => ((degrees + 540) % 360) - 180;

// An all-round picture looked into: where to, and how wide.
class Looking {
  constructor(desk) { this.desk = desk; }

  get on() { return this.desk.well.round; }

  turn(on) {
    const { well } = this.desk;
    well.turn(on ? well.looks ?? { yaw: 0, pitch: 0, field: 80 } : null);
    document.getElementById("look-round")?.setAttribute("aria-pressed", String(on));
    this.say();
  }

  turnBy(yaw, pitch, field = 0) {
    const { well } = this.desk, { round } = well;
    well.turn({
      yaw: within(round.yaw + yaw),
      pitch: Math.min(90, Math.max(-90, round.pitch + pitch)),
      field: Math.min(140, Math.max(10, round.field + field)),
    });
    this.say();
  }

  say() {
    const at = document.getElementById("looks-at"), looks = this.on;
    if (at) at.textContent = looks ? `${looks.yaw.toFixed(0)}° right, ${looks.pitch.toFixed(0)}° up, ${looks.field.toFixed(0)}° across` : "";
  }

  // What is looked at becomes the middle, or the flat view.
  clicked(target) {
    const { desk, on } = this;
    if (!on) return;
    if (target.closest("[data-middle]")) {
      const had = Number(desk.place.querySelector("[name='eyes.yaw']").value) || 0;
      settle(desk, { "eyes.yaw": within(had + on.yaw).toFixed(2) });
      this.turnBy(-on.yaw, 0);
    }
    if (target.closest("[data-flat]")) {
      settle(desk, { "eyes.look_yaw": on.yaw.toFixed(2), "eyes.look_pitch": on.pitch.toFixed(2), "eyes.look_field": on.field.toFixed(1) });
    }
  }
}

function readMatrices(desk) {
  const told = document.getElementById("anaglyph-matrices");
  if (told) desk.well.setAnaglyph(JSON.parse(told.textContent));
}

// Left and right lie in A and B, so that every way of looking at two eyes has them.
function shows(desk, looking, result) {
  const { names, place, well } = desk, { part } = place.dataset, isPair = ["pair", "round"].includes(part);
  names[0] = isPair ? "eye_left" : result;
  names[1] = desk.isThere("eye_right") ? "eye_right" : names[0];
  looking.turn(part === "round" && Boolean(place.querySelector("#eyes-is_round")?.checked));
  setMode(desk, part === "pair" ? (PAIR_MODES.includes(well.mode) ? well.mode : "beside") : "one");
  return true;
}

// Shift and an arrow move everything nearer or back; while looking round the arrows turn.
function arrow(desk, looking, event) {
  if (event.shiftKey && event.key.startsWith("Arrow")) {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key], field = desk.place.querySelector("[name='eyes.shift']");
    if (by && field) settle(desk, { "eyes.shift": (Number(field.value) || 0) + by });
    return Boolean(by && field);
  }
  const turns = looking.on && TURNS[event.key];
  if (!turns || event.target.closest("input")) return false;
  looking.turnBy(...turns);
  return true;
}

export function setUp(desk) {
  const looking = new Looking(desk);
  const evidence = new AlphaSide(document.getElementById("eyes-evidence"), {
    shot: desk.shot, knot: desk.knot, now: () => desk.frame, set: (settings) => settle(desk, settings), counted: () => refresh(desk),
  });
  const swap = () => desk.place.querySelector("#eyes-swap")?.click();
  document.getElementById("look-round")?.addEventListener("click", () => looking.turn(!looking.on));
  document.getElementById("swap-eyes")?.addEventListener("click", swap);
  const forms = () => [...desk.resultsInTray().filter((name) => name.startsWith("form_")), "anaglyph"];
  return {
    hasParts: true, modes: MODES, opensFirst: true,
    made: (part) => (part === "forms" ? forms() : MADE[part]),
    prefix: (part) => (["pair", "parallax", "round"].includes(part) ? "eyes." : undefined),
    opened: (part, layer) => evidence.open(part, layer),
    shows: (result) => shows(desk, looking, result),
    frameChanged: () => evidence.show(),
    changed: () => readMatrices(desk), begun: () => readMatrices(desk),
    clicked: (target) => looking.clicked(target),
    dragged(x, y) {
      if (!looking.on) return false;
      const per = looking.on.field / desk.well.canvas.clientWidth;
      looking.turnBy(-x * per, y * per);
      return true;
    },
    wheeled(by) { if (looking.on) looking.turnBy(0, 0, by * 0.05); return Boolean(looking.on); },
    arrow: (event) => arrow(desk, looking, event),
    keys: { x: swap, r: () => looking.turn(!looking.on) },
  };
}
