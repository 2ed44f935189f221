// Title frames: elements are pressed and dragged on the page; where they go is worked out by the server.
import { isTyping } from "./page.js";
import { change } from "./turns.js";

const editor = document.getElementById("title-editor");
let drag = null;

const page = () => editor.querySelector(".title-page svg");
const address = (place) => {
  const url = new URL(location);
  const name = editor.querySelector("[data-goes]");
  if (name) url.search = new URL(name.value, location).search;
  return { element: `${url.pathname}/element/${place}${url.search}`, page: `${url.pathname}${url.search}&place=${place}` };
};
const post = (place, values) => change(address(place).element, values, "#title-editor");
const choose = (place) => htmx.ajax("GET", address(place).page, { source: "#title-editor", target: "#title-editor", swap: "innerHTML" });

// An element goes with its group.
const together = (rect) => [...page().querySelectorAll("[data-place]")].filter((other) => other === rect || (rect.dataset.group && other.dataset.group === rect.dataset.group));

editor.addEventListener("pointerdown", (event) => {
  const grip = event.target.closest("[data-grip]"), rect = event.target.closest("[data-place]");
  if (!grip && !rect) return;
  event.preventDefault();
  const place = Number(grip?.dataset.grip ?? rect.dataset.place), own = page().querySelector(`[data-place="${place}"]`);
  page().setPointerCapture(event.pointerId);
  drag = { place, own, isScale: Boolean(grip), x: event.clientX, y: event.clientY, box: page().getBoundingClientRect(), rects: together(own) };
});
editor.addEventListener("pointermove", (event) => {
  if (!drag) return;
  const dx = (event.clientX - drag.x) / drag.box.width, dy = (event.clientY - drag.y) / drag.box.height;
  if (!drag.hasMoved && Math.hypot(event.clientX - drag.x, event.clientY - drag.y) < 4) return;
  drag.hasMoved = true;
  for (const halo of page().querySelectorAll(".halo")) halo.remove();
  if (drag.isScale) {
    const left = Math.min(...drag.rects.map((rect) => rect.x.baseVal.value)), top = Math.min(...drag.rects.map((rect) => rect.y.baseVal.value));
    const right = drag.own.x.baseVal.value + drag.own.width.baseVal.value;
    drag.scale = Math.max(0.05, (right - left + dx) / (right - left));
    for (const rect of drag.rects) rect.setAttribute("transform", `translate(${left} ${top}) scale(${drag.scale}) translate(${-left} ${-top})`);
  } else {
    Object.assign(drag, { dx, dy });
    for (const rect of drag.rects) rect.setAttribute("transform", `translate(${dx} ${dy})`);
  }
});
const letGo = () => {
  if (!drag) return;
  const { place, hasMoved, isScale, scale, dx, dy } = drag;
  drag = null;
  if (!hasMoved) choose(place);
  else post(place, isScale ? { scale } : { dx, dy });
};
editor.addEventListener("pointerup", letGo);
editor.addEventListener("pointercancel", () => { drag = null; });

editor.addEventListener("change", ({ target }) => { if (target.matches("[data-goes]")) location = target.value; });
document.addEventListener("keydown", (event) => {
  const chosen = page()?.querySelector(".is-chosen");
  if (!chosen || isTyping(event)) return;
  const step = { ArrowLeft: [-0.005, 0], ArrowRight: [0.005, 0], ArrowUp: [0, -0.005], ArrowDown: [0, 0.005] }[event.key];
  if (event.shiftKey && step) { event.preventDefault(); post(Number(chosen.dataset.place), { dx: step[0], dy: step[1] }); }
  else if (event.key === "Delete") post(Number(chosen.dataset.place), { does: "remove" });
});
