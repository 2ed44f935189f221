/* The order of what goes out: dragged by the handle or the row, or moved with Alt and the arrows. */
"use strict";
(() => {
  let dragged = null;

  const list = (element) => element.closest?.(".targets[data-order]");
  const row = (element) => element.closest?.(".targets li[data-name]");

  const send = (place, values) =>
    htmx.ajax("POST", place.dataset.order, { target: "#place", swap: "innerHTML", values });

  const unmark = () => document.querySelectorAll(".targets .is-before").forEach((one) => one.classList.remove("is-before"));

  document.addEventListener("dragstart", (event) => {
    const one = row(event.target);
    // Text in a field is dragged as text.
    if (!one || event.target.tagName === "INPUT") return;
    dragged = one.dataset.name;
    one.classList.add("is-dragged");
    event.dataTransfer.effectAllowed = "move";
    event.dataTransfer.setData("text/plain", dragged);
  });
  document.addEventListener("dragover", (event) => {
    const one = row(event.target);
    if (!dragged || !one) return;
    event.preventDefault();
    unmark();
    one.classList.add("is-before");
  });
  document.addEventListener("drop", (event) => {
    const one = row(event.target);
    if (!dragged || !one) return;
    event.preventDefault();
    if (one.dataset.name !== dragged) send(list(one), { name: dragged, before: one.dataset.name });
  });
  document.addEventListener("dragend", () => {
    dragged = null;
    unmark();
    document.querySelectorAll(".is-dragged").forEach((one) => one.classList.remove("is-dragged"));
  });
  document.addEventListener("keydown", (event) => {
    const name = event.target.dataset?.move;
    if (!name || !event.altKey || !["ArrowUp", "ArrowDown"].includes(event.key)) return;
    event.preventDefault();
    // The handle is drawn anew; whoever moves a row goes on moving it.
    document.addEventListener("htmx:afterSettle", () => document.querySelector(`[data-move="${CSS.escape(name)}"]`)?.focus(), { once: true });
    send(list(event.target), { name, by: event.key === "ArrowUp" ? "-1" : "1" });
  });
})();
