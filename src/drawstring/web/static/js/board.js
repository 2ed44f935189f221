// Choosing rows: how many shots and frames are chosen, and the press that runs them.
import { isTyping } from "./page.js";

const board = document.getElementById("board");
const bar = board.querySelector(".chosen");
const boxes = [...board.querySelectorAll("input[name=shot]")];

function tell() {
  const chosen = boxes.filter((box) => box.checked);
  const frames = chosen.reduce((sum, box) => sum + Number(box.dataset.frames), 0);
  const shots = `${chosen.length} shot${chosen.length === 1 ? "" : "s"}`;
  bar.hidden = chosen.length === 0;
  bar.querySelector("[data-count]").textContent = `${shots} chosen`;
  bar.querySelector("[data-frames]").textContent = `${frames} frames`;
  bar.querySelector("[data-run]").textContent = `Run ${shots}`;
}

board.addEventListener("change", tell);
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
