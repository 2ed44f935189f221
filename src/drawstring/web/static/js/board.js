// Choosing rows: how many shots and frames are chosen, and the press that runs them.
import { isTyping } from "./page.js";

const board = document.getElementById("board");
const bar = board.querySelector(".chosen");
const boxes = [...board.querySelectorAll("input[name=shot]")];

// What the chosen ones came to when they were packed last; those that never were can't be told.
function goingByLastTime(chosen) {
  const known = chosen.filter((box) => box.dataset.bytes);
  if (!known.length) return "";
  const sum = (name) => known.reduce((all, box) => all + Number(box.dataset[name]), 0);
  const size = sum("bytes") >= 1e9 ? `${(sum("bytes") / 1e9).toFixed(1)} GB` : `${Math.ceil(sum("bytes") / 1e6)} MB`;
  const time = sum("seconds") < 90 ? `${Math.ceil(sum("seconds"))} s` : `${Math.round(sum("seconds") / 60)} min`;
  const rest = chosen.length - known.length;
  return `, going by last time ${size} and ${time}${rest ? ` without ${rest} never packed` : ""}`;
}

function tell() {
  const chosen = boxes.filter((box) => box.checked);
  const frames = chosen.reduce((sum, box) => sum + Number(box.dataset.frames), 0);
  const matching = bar.querySelector("[data-matching]"), isAll = matching?.checked;
  const count = isAll ? Number(matching.dataset.matching) : chosen.length, shots = `${count} shot${count === 1 ? "" : "s"}`;
  bar.hidden = chosen.length === 0;
  bar.querySelector("[data-count]").textContent = `${shots} chosen`;
  bar.querySelector("[data-frames]").textContent = isAll ? "of all pages" : `${frames} frames${goingByLastTime(chosen)}`;
  bar.querySelector("[data-run]").textContent = `Run ${shots}`;
}

board.addEventListener("change", tell);
document.querySelectorAll(".board-find select").forEach((select) => select.addEventListener("change", () => select.form.requestSubmit()));
board.querySelector("[data-many]").addEventListener("click", (event) => {
  // Another page, not a run: the form's own press must not see it.
  event.preventDefault();
  const chosen = boxes.filter((box) => box.checked).map((box) => `shot=${box.value}`);
  location.href = `${event.target.getAttribute("formaction")}?${chosen.join("&")}`;
});
document.addEventListener("keydown", (event) => {
  if (isTyping(event) || event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.key.toLowerCase() === "a") {
    const all = boxes.every((box) => box.checked);
    boxes.forEach((box) => { box.checked = !all; });
    tell();
  } else if (event.key.toLowerCase() === "r" && !bar.hidden) {
    bar.querySelector("[data-run]").click();
  }
});
tell();
