// The plan's drawings: handles that are dragged or moved by arrows, presses that set a value, picks on a test frame.
import { change } from "./turns.js";

const place = document.getElementById("place");
const address = () => place.querySelector("[data-changes]").dataset.changes;

// How a handle's place and its value belong together: "log" and "span" from low to high, "even" from an edge on.
function mapOf(handle) {
  const [kind, ...numbers] = handle.dataset.map.split(" ");
  const [a, b, start, end] = numbers.map(Number);
  if (kind === "even") return { at: (value) => a + value / b, of: (at) => Math.max(0, (at - a) * b), step: (value) => value + 1 };
  const share = (at) => Math.min(1, Math.max(0, (at - start) / (end - start)));
  if (kind === "log") return { at: (v) => start + (Math.log(v / a) / Math.log(b / a)) * (end - start), of: (at) => a * (b / a) ** share(at), step: (v, by) => v * 1.01 ** by };
  return { at: (v) => start + ((v - a) / (b - a)) * (end - start), of: (at) => a + share(at) * (b - a), step: (v, by) => v + by * (b - a) / 200 };
}

const short = (value) => String(Number(value.toPrecision(4)));
function pointIn(svg, event) {
  const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
  return { x: at.x, y: at.y };
}

// One side of the overscan is dragged, all four are told.
function told(handle, value) {
  const { compose } = handle.dataset;
  if (!compose) return short(value);
  const sides = handle.closest("svg").dataset.sides.split(" ");
  sides[["left", "top", "right", "bottom"].indexOf(compose)] = String(Math.round(value));
  return sides.join(" ");
}

function show(handle, value, at) {
  const { axis, unit } = handle.dataset;
  const [x, y] = handle.getAttribute("transform").match(/-?[\d.]+/g).map(Number);
  handle.setAttribute("transform", axis === "x" ? `translate(${at} ${y})` : `translate(${x} ${at})`);
  const shown = handle.dataset.compose ? Math.round(value) : short(value);
  handle.setAttribute("aria-valuenow", shown);
  handle.setAttribute("aria-valuetext", `${shown} ${unit}`);
  let note = handle.querySelector("text");
  if (!note) {
    note = document.createElementNS("http://www.w3.org/2000/svg", "text");
    note.setAttribute("class", "dragged");
    note.setAttribute("y", "-16");
    handle.append(note);
  }
  note.textContent = `${shown} ${unit}`;
}

const send = (handle, value) => change(address(), { [handle.dataset.handle]: told(handle, value) });

let held = null;
place.addEventListener("pointerdown", (event) => {
  const handle = event.target.closest("[data-handle]");
  if (!handle) return;
  event.preventDefault();
  handle.setPointerCapture(event.pointerId);
  handle.focus();
  held = { handle, map: mapOf(handle), value: null };
});
place.addEventListener("pointermove", (event) => {
  if (!held) return;
  const { handle, map } = held, at = pointIn(handle.closest("svg"), event)[handle.dataset.axis];
  held.value = map.of(at);
  show(handle, held.value, Number(map.at(held.value).toFixed(2)));
});
place.addEventListener("pointerup", () => {
  if (held && held.value !== null) send(held.handle, held.value);
  held = null;
});
place.addEventListener("pointercancel", () => { held = null; });

// Arrows move a handle at once; what they come to is sent when they rest.
let resting = null;
place.addEventListener("keydown", (event) => {
  const handle = event.target.closest?.("[data-handle]");
  const by = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[event.key];
  if (!handle || !by) return;
  event.preventDefault();
  const map = mapOf(handle), now = Number(handle.getAttribute("aria-valuenow")), far = by * (event.shiftKey ? 10 : 1);
  const value = Math.max(0, handle.dataset.map.startsWith("even") && !handle.dataset.compose ? now * 1.01 ** far : handle.dataset.compose ? now + far : map.step(now, far));
  show(handle, value, Number(map.at(value).toFixed(2)));
  clearTimeout(resting);
  resting = setTimeout(() => send(handle, value), 350);
});

place.addEventListener("click", (event) => {
  const sets = event.target.closest("[data-sets-plan]"), chooses = event.target.closest("[data-pick-of]");
  if (sets) change(address(), { [sets.dataset.setsPlan]: sets.dataset.value });
  if (chooses) {
    for (const other of place.querySelectorAll("[data-pick-of]")) other.setAttribute("aria-pressed", String(other === chooses && other.getAttribute("aria-pressed") !== "true"));
    return;
  }
  const picture = event.target.closest("[data-pick] img"), of = place.querySelector('[data-pick-of][aria-pressed="true"]');
  if (!picture || !of) return;
  const box = picture.getBoundingClientRect(), from = picture.closest("[data-pick]");
  change(from.dataset.pick, { of: of.dataset.pickOf, number: from.dataset.number, across: (event.clientX - box.left) / box.width, down: (event.clientY - box.top) / box.height });
});
