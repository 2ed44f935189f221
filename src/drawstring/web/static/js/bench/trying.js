// Settings tried out while a hand moves them, written when it lets go, and what a written change brings.
import { isTyping } from "../page.js";
import { change } from "../turns.js";
import { mark, setMode } from "./compare.js";
import { load } from "./loading.js";
import { chooseLayer, madeHere, openPart, resultInTray } from "./parts.js";
import { take } from "./picking.js";

let isTrying = false, again = false;

export async function tryOut(desk, settings) {
  const { names, tried, well } = desk;
  Object.assign(tried, settings);
  for (const [name, value] of Object.entries(settings)) {
    const field = document.querySelector(`#place [name="${CSS.escape(name)}"]`);
    if (field && !String(value).startsWith("#")) field.value = value;
  }
  if (isTrying) { again = true; return; }
  isTrying = true;
  if (!names.some((name) => desk.isResult(name)) && resultInTray(desk)) {
    names[1] = resultInTray(desk);
    if (well.mode === "one") setMode(desk, "wipe");
  }
  await Promise.all([load(desk, [0, 1].filter((slot) => desk.isResult(names[slot])), () => again), desk.script.trying?.()]);
  isTrying = false;
  if (again) { again = false; tryOut(desk, {}); }
}

export const settle = (desk, settings) => change(`/shots/${desk.shot}/${desk.knot}`, settings);

// The panel as it stands now, where nobody is typing in it or has a point of a curve or a slide in hand.
export async function refresh(desk) {
  const { place } = desk;
  const held = document.activeElement;
  if (Object.keys(desk.tried).length) return;
  if (place.contains(held) && (isTyping({ target: held }) || held.closest("[data-curves]"))) return;
  await htmx.ajax("GET", location.href, { source: place, target: place, select: "#place > *", swap: "innerHTML" });
  openPart(desk, place.dataset.part || "");
}

let madeBefore = new Set();

function changed(desk) {
  const { names, place, script } = desk;
  desk.tried = {};
  again = false;
  // How a picture is read may have changed with the rest: only what is no light stays.
  desk.pictures.forget((picture) => desk.isResult(picture.name) || picture.name === "distance" || (!script.keepsLight && picture.kind === "light"));
  // What the open part makes for the first time is what its change was made for.
  const appeared = place.dataset.part && madeHere(desk).some((name) => desk.isThere(name) && !madeBefore.has(name));
  madeBefore = new Set(desk.resultsInTray());
  const hadNone = appeared || !names.some((name) => desk.isResult(name) && desk.isThere(name));
  [0, 1].forEach((slot) => {
    if (desk.isResult(names[slot]) && !desk.isThere(names[slot]) && !script.keeps?.(names[slot])) names[slot] = resultInTray(desk) ?? (desk.isThere("depth") ? "depth" : names[slot]);
  });
  // Whoever is about to click on the picture goes on; only the press in the panel is a new one.
  take(desk, desk.taking);
  desk.tracks?.read();
  script.changed?.();
  openPart(desk, place.dataset.part || "", { isFirst: Boolean(script.hasParts) && hadNone });
  // A corrected role may have given a pass another name.
  const first = document.querySelector("#tray .pass")?.dataset.pass;
  [0, 1].forEach((slot) => { if (!desk.isThere(names[slot]) && !desk.isResult(names[slot]) && first) names[slot] = first; });
  mark(desk);
  load(desk);
  script.shown?.();
}

export function setUpTrying(desk) {
  const { place } = desk;
  madeBefore = new Set(desk.resultsInTray());
  document.body.addEventListener("recipe-changed", () => changed(desk));
  place.addEventListener("click", ({ target }) => {
    const tab = target.closest("[role=tab]"), layer = target.closest("[data-choose-layer]"), sets = target.closest("[data-sets]");
    if (tab) openPart(desk, tab.dataset.part, { isFirst: true });
    if (layer) {
      chooseLayer(place.dataset.part, Number(layer.dataset.chooseLayer));
      openPart(desk, place.dataset.part, { isFirst: desk.script.showsChosen === place.dataset.part });
    }
    desk.script.clicked?.(target);
    if (!sets) return;
    if (sets.dataset.sets.endsWith(".add")) chooseLayer(place.dataset.part, 99);
    settle(desk, { [sets.dataset.sets]: sets.dataset.value });
  });
  // A colour chosen by eye, or a value on its slide, is tried out while it is chosen.
  let isInHand = false, isOlder = false;
  place.addEventListener("input", ({ target }) => {
    const name = target.dataset.colourOf ?? target.dataset.slides;
    if (name) { isInHand = true; tryOut(desk, { [name]: target.value }); }
    desk.script.fieldSlid?.(target);
  });
  place.addEventListener("change", ({ target }) => {
    const name = target.dataset.colourOf ?? target.dataset.slides;
    if (name) { isInHand = isOlder = false; settle(desk, { [name]: target.value }); }
    desk.script.fieldChanged?.(target);
  });
  // What an earlier press brings late would take it out of the hand: letting go brings the panel as it is then.
  document.addEventListener("htmx:beforeSwap", ({ detail }) => {
    if (!isInHand || detail.target !== place) return;
    detail.swapOverride = "none";
    isOlder = true;
  });
  // Who lets go where the slide began has changed nothing.
  document.addEventListener("pointerup", () => setTimeout(() => {
    if (isInHand && isOlder) { desk.tried = {}; document.activeElement.blur(); refresh(desk); }
    isInHand = isOlder = false;
  }));
}
