// Depth on the bench: the distance strip, its other forms, and what its parts show.
import { OverFrames } from "../overframes.js";
import { Side } from "../side.js";
import { Strip } from "../strip.js";
import { go } from "../bench/frames.js";
import { chosenForm, openPart } from "../bench/parts.js";
import { take } from "../bench/picking.js";
import { settle, tryOut } from "../bench/trying.js";

const SAYS = {
  range: "dark: this frame \u00a0 faint: all \u00a0 line: value",
  mist: "dashes: how much mist lies before that distance",
  focus: "band: sharp \u00a0 line: size of the blur",
};
const MADE = { range: ["depth_normalised"], mist: ["beauty_mist", "mist_amount"], focus: ["beauty_focus", "blur_radius"] };
const FORMS = [["strip", "strip"], ["frames", "over-frames"], ["side", "from-side"]];

const form = () => document.querySelector("input[name=strip-form]:checked")?.value;

// One question under way, the newest one next.
function asker(desk, { strip, overFrames, side }) {
  let isBusy = false, again = false;
  return async function show() {
    if (isBusy) { again = true; return; }
    isBusy = true;
    try {
      const what = form() === "side" ? "side" : "strip";
      const answer = await desk.ask(`/depth/${what}?${new URLSearchParams({ frame: desk.frame, ...desk.tried })}`);
      if (!answer.ok) return;
      const data = await answer.json();
      if (what === "side") return side.show(data);
      strip.show(data);
      overFrames.show(data, desk.frame);
      const said = document.querySelector("[data-says-focus]"), { focus } = data;
      if (said) said.textContent = focus ? focus.why || `${focus.says}; largest blur ${focus.largest}, ${focus.by}` : "";
    } finally {
      isBusy = false;
      if (again) { again = false; show(); }
    }
  };
}

// The pixels that lie at the distances pointed at on the strip.
function bandMarker(desk) {
  let asked = 0;
  return async (band) => {
    const mine = ++asked;
    if (!band) return desk.well.mark(null);
    try {
      const distances = await desk.pictures.get(desk.frame, "distance", Math.max(1, desk.level));
      if (mine === asked) desk.well.mark(band, distances);
    } catch { /* the picture itself says what is wrong */ }
  };
}

function setUpForms(strip, show) {
  document.querySelectorAll("input[name=strip-form]").forEach((input) => input.addEventListener("change", () => {
    for (const [one, id] of FORMS) {
      document.getElementById(id).toggleAttribute("hidden", form() !== one);
      document.querySelector(`[data-says=${one}]`).hidden = form() !== one;
    }
    document.getElementById("axis-kind").hidden = form() !== "strip";
    show();
  }));
  document.getElementById("axis-kind")?.addEventListener("click", ({ currentTarget }) => {
    strip.look({ isEven: !strip.isEven });
    currentTarget.setAttribute("aria-pressed", String(strip.isEven));
  });
}

export function setUp(desk) {
  const strip = new Strip(document.getElementById("strip"), {
    onTry: (settings) => tryOut(desk, settings), onSet: (settings) => settle(desk, settings), onHover: bandMarker(desk),
  });
  const overFrames = new OverFrames(document.getElementById("over-frames"), (number) => go(desk, number));
  const side = new Side(document.getElementById("from-side"));
  const show = asker(desk, { strip, overFrames, side });
  setUpForms(strip, show);
  async function showObjects() {
    const at = desk.frame, answer = await desk.ask(`/depth/objects?frame=${at}`);
    if (answer.ok && at === desk.frame) strip.look({ objects: (await answer.json()).objects });
  }
  function showSwatches(layer) {
    const target = desk.place.querySelector(`[data-swatches="${layer}"]`);
    if (target && !target.childElementCount) htmx.ajax("GET", `/shots/${desk.shot}/depth/swatches?frame=${desk.frame}&mist=${layer}`, { target, swap: "innerHTML" });
  }
  // A measurement that has just ended fills the strip.
  document.body.addEventListener("htmx:afterSwap", (event) => {
    const isDone = event.detail.elt?.id === "measured" || document.getElementById("measured")?.dataset.state === "done";
    if (isDone && !strip.data?.ready) show();
  });
  return {
    hasParts: true, keepsLight: true, wholes: ["focus"], beginsWithWipe: true,
    made: (part) => MADE[part],
    prefix: (part, layer) => ({ mist: `depth.mist.${layer}.`, focus: "depth.focus." })[part],
    opened(part, layer, layers) {
      document.querySelector("[data-says=strip]").textContent = SAYS[part];
      strip.look({ part, layer });
      if (part === "mist" && layers) showSwatches(layer);
    },
    trying: show, shown: show,
    frameChanged: () => Promise.all([show(), showObjects()]),
    pointed: (told) => strip.point(told.distance),
    begun: () => { show(); showObjects(); },
    keys: {
      n: () => take(desk, "depth.near"), m: () => take(desk, "depth.far"),
      s: () => { openPart(desk, "focus"); take(desk, "depth.focus.distance"); },
      c: () => take(desk, chosenForm(desk)?.querySelector("[data-take$=\".things\"]")?.dataset.take ?? null),
    },
  };
}
