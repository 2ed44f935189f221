// Keyboard focus: it stays where it was when an answer replaces what it stood on, and lists of like things are
// one stop of the Tab key, with arrows inside.

// What a control is told by, when another one has taken its place.
function marksOf(control) {
  if (control.id) return { id: control.id };
  const place = control.closest("[id]");
  return { place: place?.id, tag: control.tagName, name: control.name ?? "", value: control.type === "radio" ? control.value : "",
    said: JSON.stringify(control.dataset), text: control.name ? "" : control.textContent.trim() };
}

function findAgain(marks) {
  if (marks.id) return document.getElementById(marks.id);
  const place = document.getElementById(marks.place) ?? document.getElementById("place") ?? document;
  const like = [...place.querySelectorAll(marks.tag)].filter((one) => (one.name ?? "") === marks.name && (!marks.value || one.value === marks.value));
  const same = like.filter((one) => JSON.stringify(one.dataset) === marks.said);
  return same.find((one) => one.textContent.trim() === marks.text) ?? same[0] ?? (marks.name ? like[0] : null);
}

let stood = null;
document.addEventListener("htmx:beforeSwap", ({ detail }) => {
  const control = document.activeElement;
  if (detail.shouldSwap && control && control !== document.body) stood = { marks: marksOf(control), place: control.closest("#place, #tray")?.id };
});
document.addEventListener("htmx:afterSettle", () => {
  const was = stood;
  stood = null;
  if (!was || (document.activeElement && document.activeElement !== document.body)) return;
  const again = findAgain(was.marks);
  if (again && !again.disabled) return again.focus({ preventScroll: true });
  // The control is gone with what it did: the next stop of the Tab key is still in its panel.
  const panel = document.getElementById(was.place ?? "");
  panel?.setAttribute("tabindex", "-1");
  panel?.focus({ preventScroll: true });
});

// One of a list is a stop of the Tab key; the arrows lead to the others.
export function rove(list, chosen, { next, before, onMove = null }) {
  const items = () => [...list.querySelectorAll("button:not([disabled])")];
  function stops() {
    const all = items(), stop = all.find((one) => one === document.activeElement) ?? all.find(chosen) ?? all[0];
    for (const one of all) one.tabIndex = one === stop ? 0 : -1;
    return all;
  }
  list.addEventListener("keydown", (event) => {
    const by = { [next]: 1, [before]: -1, Home: -Infinity, End: Infinity }[event.key];
    if (by === undefined || event.ctrlKey || event.metaKey || event.altKey || event.shiftKey) return;
    const all = stops(), at = all.indexOf(document.activeElement);
    if (at < 0) return;
    event.preventDefault();
    event.stopPropagation();
    const to = all[Math.min(all.length - 1, Math.max(0, at + by))];
    to.focus();
    stops();
    onMove?.(to);
  });
  list.addEventListener("focusin", stops);
  stops();
  return stops;
}
