// The pointer on the picture: values read, things taken, shapes drawn, the picture moved.
import { change } from "../turns.js";
import { choose, setMode } from "./compare.js";
import { go } from "./frames.js";

// Taking an end, a colour or a thing from the picture.
export function take(desk, end) {
  const button = end && document.querySelector(`[data-take="${end}"]`), { note } = desk;
  if (end && !button) return;
  desk.taking = end;
  desk.wellElement.classList.toggle("is-taking", Boolean(end));
  document.querySelectorAll("[data-take]").forEach((one) => one.setAttribute("aria-pressed", String(one.dataset.take === end)));
  if (!end && note.textContent && !note.textContent.startsWith("Click on")) return;
  const says = button?.dataset.says;
  desk.say(says ? `Click on ${says}. Escape leaves it as it was.` : "");
}

let isReading = false, next = null;

// The shown pictures at once, every pass as soon as the server says.
async function read(desk, at) {
  const local = desk.slots().map((slot) => [desk.names[slot], desk.well.valuesAt(slot, at)]);
  show(at, local.filter(([, values]) => values).map(([name, values]) => [name, values.map((v) => (Number.isFinite(v) ? v.toFixed(4) : String(v))).join(" ")]));
  if (isReading) { next = at; return; }
  isReading = true;
  try {
    const answer = await desk.ask(`/frames/${desk.frame}/values?${new URLSearchParams({ x: at.x, y: at.y, ...desk.tried })}`);
    if (answer.ok) {
      const told = await answer.json();
      show(at, told.passes.map((one) => [one.name, one.values]));
      desk.script.pointed?.(told);
    }
  } finally {
    isReading = false;
    if (next) { const then = next; next = null; read(desk, then); }
  }
}

function show(at, values) {
  const reading = document.getElementById("reading");
  const bold = values.flatMap(([name, text]) => {
    const b = document.createElement("b");
    b.textContent = name.replaceAll("_", " ");
    return [b, ` ${text}`];
  });
  reading.replaceChildren(`${at.x}, ${at.y}`, ...bold);
  reading.title = reading.textContent;
}

let held = null;

function pointerMoved(desk, event) {
  const { well } = desk;
  if (held?.isPainting) return desk.brush.move(event);
  if (!held) {
    const at = well.pixelAt(event.clientX, event.clientY);
    if (at) read(desk, at);
    return;
  }
  held.moved ||= Math.hypot(event.clientX - held.x, event.clientY - held.y) > 4;
  if (!held.moved) return;
  if (!desk.script.dragged?.(event.clientX - held.lastX, event.clientY - held.lastY)) well.move(event.clientX - held.lastX, event.clientY - held.lastY);
  Object.assign(held, { lastX: event.clientX, lastY: event.clientY });
}

function pointerLeft(desk, event) {
  const { drawing, taking } = desk;
  if (held?.isPainting) { held = null; return desk.brush.up(); }
  if (held?.moved) desk.script.dropped?.();
  const clicked = held && !held.moved, at = desk.well.pixelAt(event.clientX, event.clientY);
  held = null;
  if (clicked && at && drawing.isOn) return drawing.add(at);
  if (!clicked || !at || !taking) return;
  // Things are picked one after another.
  if (!taking.endsWith(".things")) take(desk, null);
  change(`/shots/${desk.shot}/${desk.knot}/pick`, { setting: taking, frame: desk.frame, x: at.x, y: at.y });
}

export function setUpPicking(desk) {
  const { canvas } = desk.well;
  canvas.addEventListener("pointermove", (event) => pointerMoved(desk, event));
  canvas.addEventListener("pointerdown", (event) => {
    canvas.setPointerCapture(event.pointerId);
    if (desk.brush.isOn) { held = { isPainting: true }; return desk.brush.down(event); }
    held = { x: event.clientX, y: event.clientY, lastX: event.clientX, lastY: event.clientY, moved: false };
  });
  canvas.addEventListener("pointerup", (event) => pointerLeft(desk, event));
  canvas.addEventListener("wheel", (event) => {
    event.preventDefault();
    if (!desk.script.wheeled?.(event.deltaY)) desk.well.zoom(1.0015 ** -event.deltaY, event.clientX, event.clientY);
  }, { passive: false });
  document.addEventListener("click", (event) => pressed(desk, event));
}

// Presses that show something: a pass, a frame, a look; and those that take from the picture.
function pressed(desk, event) {
  const goTo = event.target.closest("[data-go]"), look = event.target.closest("[data-look]"), readings = event.target.closest("[data-readings]");
  if (goTo) return go(desk, Number(goTo.dataset.go));
  if (look) return choose(desk, 0, look.dataset.look);
  if (readings) {
    const { readings: name, first, second } = readings.dataset;
    desk.names.splice(0, 2, `${name}@${first}`, `${name}@${second}`);
    return setMode(desk, "beside");
  }
  const pass = event.target.closest("#tray .pass"), cell = event.target.closest("#frames .cell"), button = event.target.closest("[data-take]");
  if (pass) choose(desk, event.shiftKey ? 1 : 0, pass.dataset.pass);
  else if (cell && !cell.disabled) go(desk, Number(cell.dataset.frame));
  else if (button) take(desk, desk.taking === button.dataset.take ? null : button.dataset.take);
}
