// Curves in the panel: points are dragged, added by a press on the plot, taken away by Delete. The server
// draws the curve; here only points move, and the pairs they stand for are written into their field.
import { settle, tryOut } from "./trying.js";

const DARKEST = -8, STOPS = 12, WIDE = 240, HIGH = 160;

const field = (plot, name) => plot.querySelector(`[data-curve="${name}"]`);
const pairsOf = (input) => input.value.trim().split(/\s+/).filter(Boolean).map((pair) => pair.split(",").map(Number));
const typed = (pairs) => pairs.map(([x, y]) => `${Number(x.toPrecision(4))},${Number(y.toPrecision(4))}`).join(" ");

// Light in and out under the pointer.
function lightAt(svg, { clientX, clientY }) {
  const box = svg.getBoundingClientRect();
  const x = Math.min(Math.max((clientX - box.left) / box.width, 0), 1), y = Math.min(Math.max((clientY - box.top) / box.height, 0), 1);
  return [2 ** (DARKEST + STOPS * x), 2 ** (DARKEST + STOPS * (1 - y))];
}

function moveCircle(circle, [x, y]) {
  circle.setAttribute("cx", (WIDE * (Math.log2(x) - DARKEST)) / STOPS);
  circle.setAttribute("cy", HIGH - (HIGH * (Math.log2(y) - DARKEST)) / STOPS);
}

// A point stays between its neighbours: a curve never falls.
function held(pairs, index, [x, y]) {
  const before = pairs[index - 1], after = pairs[index + 1];
  if (before) { x = Math.max(x, before[0] * 1.01); y = Math.max(y, before[1]); }
  if (after) { x = Math.min(x, after[0] / 1.01); y = Math.min(y, after[1]); }
  return [x, y];
}

export function setUpCurves(desk) {
  let drag = null;
  const write = (plot, name, pairs) => settle(desk, { [`${plot.dataset.curves}.${name}`]: typed(pairs) });
  desk.place.addEventListener("pointerdown", (event) => {
    const svg = event.target.closest("[data-curves] svg");
    if (!svg) return;
    const plot = svg.closest("[data-curves]"), circle = event.target.closest("circle");
    const name = circle?.dataset.of ?? plot.dataset.active ?? "curve", pairs = pairsOf(field(plot, name));
    event.preventDefault();
    if (!circle) {
      pairs.push(lightAt(svg, event));
      pairs.sort((a, b) => a[0] - b[0]);
      for (let i = 1; i < pairs.length; i += 1) pairs[i][1] = Math.max(pairs[i][1], pairs[i - 1][1]);
      write(plot, name, pairs);
      return;
    }
    circle.focus();
    svg.setPointerCapture(event.pointerId);
    drag = { plot, svg, circle, name, pairs, index: Number(circle.dataset.point) };
  });
  desk.place.addEventListener("pointermove", (event) => {
    if (!drag) return;
    const { plot, svg, circle, name, pairs, index } = drag;
    pairs[index] = held(pairs, index, lightAt(svg, event));
    moveCircle(circle, pairs[index]);
    drag.hasMoved = true;
    tryOut(desk, { [`${plot.dataset.curves}.${name}`]: typed(pairs) });
  });
  const letGo = () => {
    if (drag?.hasMoved) write(drag.plot, drag.name, drag.pairs);
    drag = null;
  };
  desk.place.addEventListener("pointerup", letGo);
  desk.place.addEventListener("pointercancel", letGo);
  // Which curve a press on the plot adds to is the one whose field was looked at last.
  desk.place.addEventListener("focusin", ({ target }) => {
    const name = target.dataset?.curve ?? target.dataset?.of;
    if (name) target.closest("[data-curves]").dataset.active = name;
  });
  desk.place.addEventListener("keydown", (event) => {
    const circle = event.target.closest?.("[data-curves] circle");
    if (!circle) return;
    const plot = circle.closest("[data-curves]"), name = circle.dataset.of, pairs = pairsOf(field(plot, name));
    const index = Number(circle.dataset.point), steps = { ArrowLeft: [-0.1, 0], ArrowRight: [0.1, 0], ArrowUp: [0, 0.1], ArrowDown: [0, -0.1] }[event.key];
    if (event.key === "Delete" || event.key === "Backspace") pairs.splice(index, 1);
    else if (steps) pairs[index] = held(pairs, index, pairs[index].map((light, i) => light * 2 ** steps[i]));
    else return;
    event.preventDefault();
    event.stopPropagation();
    write(plot, name, pairs);
  });
}
