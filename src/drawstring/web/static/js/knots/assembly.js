// Assembly on the bench: the sum, its terms and their shares of the pixel under the pointer, mixing, colour.
import { AlphaSide } from "../alphaside.js";
import { choose, setMode } from "../bench/compare.js";
import { go } from "../bench/frames.js";
import { chooseLayer, chosenForm } from "../bench/parts.js";
import { refresh, settle } from "../bench/trying.js";

const MADE = { sum: ["residual"], terms: ["beauty_assembled"], mix: ["beauty_assembled"], colour: ["beauty_assembled"] };

// One question under way, the newest one next.
function sharesAsker(desk, element) {
  let isBusy = false, next = null;
  return async function ask(at) {
    if (isBusy) { next = at; return; }
    isBusy = true;
    try {
      const answer = await desk.ask(`/assembly/shares?${new URLSearchParams({ frame: desk.frame, x: at.x, y: at.y, ...desk.tried })}`);
      if (!answer.ok) return;
      const { shares } = await answer.json();
      for (const told of element.querySelectorAll("[data-share]")) {
        const share = shares[told.dataset.share];
        told.textContent = share === undefined ? "" : ` here ${(100 * share).toFixed(1)} %`;
      }
    } finally {
      isBusy = false;
      if (next) { const then = next; next = null; ask(then); }
    }
  };
}

function look(desk, name) {
  if (desk.well.mode !== "one") setMode(desk, "one");
  // Pressed again, the picture comes back.
  choose(desk, 0, desk.names[0] === name ? (desk.isThere("picture") ? "picture" : "beauty") : name);
}

// The picture with all that was changed, and as it came, in turn on one key.
function beforeAfter(desk) {
  const after = desk.isThere("beauty_assembled") ? "beauty_assembled" : "rebuilt";
  if (desk.well.mode !== "one") setMode(desk, "one");
  choose(desk, 0, desk.names[0] === "beauty" ? after : "beauty");
}

export function setUp(desk) {
  const element = document.getElementById("assembly-evidence");
  const evidence = new AlphaSide(element, {
    shot: desk.shot, knot: desk.knot, now: () => desk.frame, set: (settings) => settle(desk, settings), counted: () => refresh(desk),
  });
  const shares = sharesAsker(desk, element);
  element.addEventListener("click", ({ target }) => {
    const shows = target.closest("[data-shows]"), goes = target.closest("[data-goes]");
    if (shows) look(desk, shows.dataset.shows);
    if (goes) go(desk, Number(goes.dataset.goes));
  });
  return {
    get hasParts() { return Boolean(desk.place.querySelector("[role=tab]")); },
    wholes: ["sum"], opensFirst: true,
    made: (part) => MADE[part],
    prefix: () => chosenForm(desk)?.dataset.prefix ?? "assembly.grade.",
    opened: (part, layer) => evidence.open(part, layer),
    frameChanged: () => evidence.show(),
    keys: { v: () => beforeAfter(desk) },
    keeps: (name) => name.startsWith("term_"),
    pointed: (told) => shares(told),
    clicked(target) {
      const shows = target.closest("[data-shows]");
      if (shows) return look(desk, shows.dataset.shows);
      if (!target.closest("[data-adds-mix]")) return;
      chooseLayer("mix", 99);
      settle(desk, { "assembly.mixed.add": document.getElementById("mix-source").value });
    },
    fieldChanged(target) {
      const { counts } = target.dataset;
      if (counts) settle(desk, { [counts]: target.checked ? "yes" : "no" });
    },
  };
}
