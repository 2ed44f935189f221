// The parts of a knot: one is open; it chooses what lies in the well.
import { mark, setMode } from "./compare.js";
import { load } from "./loading.js";

const chosenLayers = {};

export const chooseLayer = (part, place) => { chosenLayers[part] = place; };
export const chosenForm = ({ place }) => place.querySelector(`.part[data-of="${place.dataset.part}"] form.layer[data-layer="${chosenLayers[place.dataset.part] || 1}"]`);

// What the open part makes, the one that shows it best first.
export function madeHere(desk) {
  const { part } = desk.place.dataset;
  return desk.script.made?.(part) ?? desk.resultsInTray();
}

export const resultInTray = (desk) => madeHere(desk).find((name) => desk.isThere(name));

export function openPart(desk, part, { isFirst = false } = {}) {
  const { place, script } = desk;
  if (!script.hasParts) return;
  if (!place.querySelector(`[role=tab][data-part="${part}"]`)) part = place.querySelector("[role=tab]").dataset.part;
  place.dataset.part = part;
  // Loaded again, the page opens where it was.
  const url = new URL(location);
  url.searchParams.set("part", part);
  history.replaceState(null, "", url);
  for (const tab of place.querySelectorAll("[role=tab]")) tab.setAttribute("aria-selected", String(tab.dataset.part === part));
  for (const panel of place.querySelectorAll(".part")) panel.hidden = panel.dataset.of !== part;
  const own = place.querySelector(`.part[data-of="${part}"]`), layers = [...own.querySelectorAll("form.layer")];
  const layer = Math.min(chosenLayers[part] || 1, layers.length || 1);
  chosenLayers[part] = layer;
  layers.forEach((form) => { form.hidden = Number(form.dataset.layer) !== layer; });
  own.querySelectorAll(".layers li").forEach((item) => item.classList.toggle("is-chosen", Number(item.dataset.layer) === layer));
  const prefix = script.prefix?.(part, layer) ?? "-";
  desk.tracks?.prefer(prefix);
  desk.drawing.show(own.querySelector(`[data-shape^="${prefix}"]`)?.dataset.shape ?? null);
  desk.brush.goOn();
  script.opened?.(part, layer, layers.length);
  if (isFirst) showPart(desk);
}

function showPart(desk) {
  const { names, well, script, place } = desk;
  const result = resultInTray(desk), before = desk.isThere("beauty") ? "beauty" : names[0];
  if (!result || script.shows?.(result)) return;
  const isWhole = script.wholes?.includes(place.dataset.part);
  [names[0], names[1]] = isWhole ? [result, before] : [before, result];
  if (isWhole && well.mode === "wipe") return setMode(desk, "one");
  if (!isWhole && well.mode === "one") return setMode(desk, "wipe");
  mark(desk);
  load(desk);
}
