// Two pictures in the well: which they are, how they are compared, and how they are looked at.
import { fetchCube } from "../pictures.js";
import { rove } from "../focus.js";
import { plainName } from "./desk.js";
import { load } from "./loading.js";
import { loadTiles } from "./tiles.js";

export function mark(desk) {
  const { well, names, wellElement } = desk, two = well.mode !== "one";
  document.querySelectorAll("#tray .pass").forEach((pass) => {
    const letters = ["A", "B"].filter((_, slot) => pass.dataset.pass === names[slot] && (slot === 0 || two));
    pass.classList.toggle("is-a", letters.includes("A"));
    pass.classList.toggle("is-b", letters.includes("B"));
    pass.querySelector(".letter").textContent = letters.join("");
  });
  const isDifference = well.mode === "difference", [a, b] = names.map(plainName);
  wellElement.querySelector(".over.a").textContent = isDifference ? `${a} minus ${b}` : (two ? "A " : "") + a;
  wellElement.querySelector(".over.b").textContent = two && !isDifference ? `B ${b}` : "";
  desk.cells.forEach((cell) => (Number(cell.dataset.frame) === desk.frame ? cell.setAttribute("aria-current", "true") : cell.removeAttribute("aria-current")));
  document.getElementById("now").textContent = desk.element.dataset.now = desk.frame;
  desk.script.marked?.();
  markWipe(desk);
  desk.stops?.forEach((stops) => stops());
}

function markWipe({ well, wellElement }) {
  const bar = wellElement.querySelector(".wipe");
  bar.hidden = well.mode !== "wipe";
  bar.style.left = `${well.share * 100}%`;
  bar.setAttribute("aria-valuenow", Math.round(well.share * 100));
}

export function choose(desk, slot, name) {
  if (slot === 0) desk.script.chosen?.(name);
  desk.names[slot] = name;
  if (slot === 1 && desk.well.mode === "one") setMode(desk, "wipe");
  mark(desk);
  return load(desk, [slot]);
}

export function setMode(desk, mode) {
  desk.well.set({ mode });
  document.querySelector(`input[name=compare][value=${mode}]`).checked = true;
  mark(desk);
  load(desk);
}

export function expose(desk, stops) {
  document.getElementById("exposure").value = stops;
  desk.well.set({ stops: Number(stops) || 0 });
}

export async function setView(desk, name) {
  const { managed } = document.getElementById("view").dataset;
  Object.assign(desk, { view: name, managed });
  try { desk.well.setView(await fetchCube(desk.shot, name, managed)); } catch (error) { desk.sayFault(error.message); }
}

function setUpWipe(desk) {
  const { well, wellElement } = desk, wipe = wellElement.querySelector(".wipe");
  const to = (share) => { well.set({ share: Math.min(1, Math.max(0, share)) }); mark(desk); };
  wipe.addEventListener("pointerdown", (event) => wipe.setPointerCapture(event.pointerId));
  wipe.addEventListener("pointermove", (event) => {
    if (!wipe.hasPointerCapture(event.pointerId)) return;
    const box = wellElement.getBoundingClientRect();
    to((event.clientX - box.left) / box.width);
  });
  wipe.addEventListener("keydown", (event) => {
    const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[event.key];
    if (by) { event.stopPropagation(); to(well.share + by); }
  });
}

export function setUpCompare(desk, go) {
  const { well, wellElement } = desk, exposure = document.getElementById("exposure");
  setUpWipe(desk);
  document.querySelectorAll("input[name=compare]").forEach((input) => input.addEventListener("change", () => setMode(desk, input.value)));
  exposure.addEventListener("input", () => well.set({ stops: Number(exposure.value) || 0 }));
  exposure.addEventListener("dblclick", () => expose(desk, 0));
  document.getElementById("channel").addEventListener("change", (event) => well.set({ channel: event.target.value }));
  document.getElementById("view-choice").addEventListener("change", (event) => setView(desk, event.target.value));
  // Colours managed otherwise have other views; the chosen one stays where there is one of its name.
  document.body.addEventListener("recipe-changed", () => {
    const select = document.getElementById("view");
    const names = [...select.options].map((option) => option.value);
    const name = names.includes(desk.view) ? desk.view : names[0];
    const isNew = name !== desk.view || select.dataset.managed !== desk.managed;
    select.value = name;
    if (isNew) setView(desk, name);
  });
  document.getElementById("fit").addEventListener("click", () => well.fit());
  document.getElementById("zoom").addEventListener("click", () => well.oneToOne());
  wellElement.addEventListener("well-zoomed", (event) => {
    document.getElementById("zoom").textContent = `${Math.round(event.detail * 100)} %`;
    clearTimeout(wellElement.sharper);
    wellElement.sharper = setTimeout(() => well.pictures[0] && load(desk), 150);
  });
  wellElement.addEventListener("well-moved", () => {
    clearTimeout(wellElement.nearer);
    wellElement.nearer = setTimeout(() => well.pictures[0] && loadTiles(desk), 120);
  });
  desk.stops = [
    rove(document.getElementById("tray"), (pass) => pass.classList.contains("is-a"), { next: "ArrowDown", before: "ArrowUp" }),
    rove(document.querySelector("#frames ol"), (cell) => cell.getAttribute("aria-current"),
      { next: "ArrowRight", before: "ArrowLeft", onMove: (cell) => go(Number(cell.dataset.frame)) }),
  ];
}
