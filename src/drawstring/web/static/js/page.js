// What every page has: the dim theme, the list of shortcuts, messages put away.

const root = document.documentElement;

function dim(on) {
  if (on) root.dataset.dim = "";
  else delete root.dataset.dim;
  localStorage.setItem("dim", on ? "yes" : "no");
  document.getElementById("dim").setAttribute("aria-pressed", String(on));
}

export function isTyping(event) {
  return event.target.closest("input:not([type=radio]):not([type=checkbox]), select, textarea, dialog");
}

document.getElementById("dim").setAttribute("aria-pressed", String("dim" in root.dataset));
document.getElementById("dim").addEventListener("click", () => dim(!("dim" in root.dataset)));
const help = document.getElementById("help");
document.getElementById("help-open").addEventListener("click", () => help.showModal());

document.addEventListener("keydown", (event) => {
  if (isTyping(event) || event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.key === "?") help.showModal();
  else if (event.key.toLowerCase() === "d") dim(!("dim" in root.dataset));
});

document.addEventListener("click", (event) => {
  const name = event.target.closest("[data-clears]")?.dataset.clears;
  if (name) document.getElementById(name).replaceChildren();
});

// A corrected role is offered to be remembered for the whole show.
document.addEventListener("change", ({ target }) => {
  const { offer, layer } = target.dataset ?? {};
  if (!offer || !layer || !target.value) return;
  const ask = () => htmx.ajax("GET", `${offer}?${new URLSearchParams({ name: layer, role: target.value })}`, { target: "#offer", swap: "innerHTML" });
  // On the bench the correction itself is on its way and replaces the panel first.
  if (target.hasAttribute("hx-post")) document.body.addEventListener("recipe-changed", () => setTimeout(ask), { once: true });
  else ask();
});

// A message about something that has been put right since goes away by itself.
document.addEventListener("htmx:afterRequest", (event) => {
  if (event.detail.successful && event.detail.requestConfig.verb !== "get") {
    document.getElementById("trouble").replaceChildren();
  }
});

document.addEventListener("htmx:sendError", () => {
  document.getElementById("trouble").innerHTML =
    '<div class="trouble"><p class="what">The server does not answer.</p><p>Nothing was changed. ' +
    'Check that it runs (make start), then try again.</p></div>' +
    '<button class="plain" type="button" data-clears="trouble">put away</button>';
});

// A changed setting is sent by itself, in turn after those before it: what a form's other fields show may
// be older than what a press a moment ago has written, and an answer replaces the form that asked.
const PATIENCE_MS = 10_000;
let turn = Promise.resolve();
export function change(url, values) {
  // A value that changes over the frames is changed at the one that is shown.
  const frame = document.getElementById("bench")?.dataset.now;
  if (frame) values = { frame, ...values };
  // One answer that never comes must not hold up all changes after it.
  const ask = () => htmx.ajax("POST", url, { source: "#place", values, target: "#place", swap: "innerHTML" });
  turn = turn.then(() => Promise.race([ask(), new Promise((done) => setTimeout(done, PATIENCE_MS))])).catch(() => {});
  return turn;
}
function send(target) {
  const form = target.closest("[data-changes]");
  if (form && target.name) change(form.dataset.changes, { [target.name]: target.type === "checkbox" ? (target.checked ? "yes" : "no") : target.value });
}
// The browser itself forgets that a field was typed into when its half-typed value is put back after an
// answer, so Enter and leaving the field ask whether the value was sent, not whether the browser noticed.
const isTyped = (target) => target.matches?.("[data-changes] input:not([type=radio]):not([type=checkbox])");
function sendTyped(target) {
  if (target.value === target.defaultValue || target.dataset.sent === target.value) return;
  target.dataset.sent = target.value;
  send(target);
}
document.addEventListener("change", ({ target }) => (isTyped(target) ? sendTyped(target) : send(target)));
// A field that is taken away by an answer was not left by the person.
document.addEventListener("focusout", ({ target }) => { if (!swapping && isTyped(target)) sendTyped(target); });
document.addEventListener("keydown", ({ key, target }) => { if (key === "Enter" && isTyped(target)) sendTyped(target); });
document.addEventListener("submit", (event) => {
  if (event.target.matches("[data-changes]")) event.preventDefault();
});

// An answer that arrives while somebody is typing replaces the panel, but not the half-typed value.
let halfTyped = null, swapping = false;
document.addEventListener("htmx:beforeSwap", () => {
  swapping = true;
  const field = document.activeElement;
  const isDirty = field?.matches?.("input:not([type=radio])") && field.id && field.value !== field.defaultValue;
  halfTyped = isDirty ? { id: field.id, value: field.value } : null;
});
document.addEventListener("htmx:afterSwap", () => {
  swapping = false;
  const field = halfTyped && document.getElementById(halfTyped.id);
  if (field) { field.value = halfTyped.value; field.focus(); }
  halfTyped = null;
});

// An answer that replaces the panel between a press and its release would swallow the click: it is made
// on what stands there now.
let pressed = null;
const sameAs = (control) => {
  if (control.name) return document.querySelector(`#place [name="${CSS.escape(control.name)}"][value="${CSS.escape(control.value)}"]`);
  const { textContent, dataset } = control, said = JSON.stringify(dataset);
  return [...document.querySelectorAll("#place button")].find((one) => one.textContent === textContent && JSON.stringify(one.dataset) === said);
};
document.addEventListener("pointerdown", ({ target }) => {
  const control = target.closest("#place button, #place label");
  pressed = control?.matches("label") ? control.querySelector("input[type=radio], input[type=checkbox]") : control;
}, true);
document.addEventListener("pointerup", () => {
  if (pressed && !pressed.isConnected) sameAs(pressed)?.click();
  pressed = null;
}, true);
