// What every page has: the dim theme, the list of shortcuts, messages put away.
import { change, sameAs } from "./turns.js";

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

for (const lost of ["htmx:sendError", "htmx:timeout"]) document.addEventListener(lost, () => {
  document.getElementById("trouble").innerHTML =
    '<div class="trouble"><p class="what">The server does not answer.</p><p>The last change may not be written. ' +
    'Check that it runs (make start), then look and try again.</p></div>' +
    '<button class="plain" type="button" data-clears="trouble">close</button>';
});

// A form that is about the shown frame says which that is.
document.addEventListener("htmx:configRequest", ({ detail }) => {
  const now = document.getElementById("bench")?.dataset.now;
  if (now && detail.elt.closest("[data-of-frame]")) detail.parameters.frame = now;
});

function send(target) {
  const form = target.closest("[data-changes]");
  if (form && target.name) change(form.dataset.changes, { [target.name]: target.type === "checkbox" ? (target.checked ? "yes" : "no") : target.value });
}
// The browser itself forgets that a field was typed into when its half-typed value is put back after an
// answer, so Enter and leaving the field ask whether the value was sent, not whether the browser noticed.
const isTyped = (target) => target.matches?.("[data-changes] input:not([type=radio]):not([type=checkbox])");
const sent = new WeakMap();
const isHalfTyped = (field) => field.value !== field.defaultValue && sent.get(field) !== field.value;
function sendTyped(target) {
  if (!isHalfTyped(target)) return;
  sent.set(target, target.value);
  send(target);
}
document.addEventListener("change", ({ target }) => (isTyped(target) ? sendTyped(target) : send(target)));
// A field that is taken away by an answer was not left by the person.
document.addEventListener("focusout", ({ target }) => { if (!swapping && isTyped(target)) sendTyped(target); });
document.addEventListener("keydown", ({ key, target }) => { if (key === "Enter" && isTyped(target)) sendTyped(target); });
document.addEventListener("submit", (event) => {
  if (event.target.matches("[data-changes]")) event.preventDefault();
});

// An answer that arrives while somebody is typing replaces the panel, but not the half-typed value, nor
// what was selected to be typed over.
let kept = null, swapping = false;
document.addEventListener("htmx:beforeSwap", ({ detail }) => {
  if (!detail.shouldSwap) return;
  swapping = true;
  const field = document.activeElement;
  kept = null;
  if (!field?.matches?.("input:not([type=radio]):not([type=checkbox])") || !field.id) return;
  const isAll = field.selectionStart === 0 && field.selectionEnd === field.value.length;
  kept = { id: field.id, value: isHalfTyped(field) ? field.value : null, isAll };
});
document.addEventListener("htmx:afterSwap", () => {
  swapping = false;
  const field = kept && document.getElementById(kept.id);
  if (field && kept.value !== null) { field.value = kept.value; field.focus(); }
  if (field && kept.isAll && field === document.activeElement) field.select();
  kept = null;
});

// What was unfolded stays unfolded in the panel that takes its place.
const unfolded = new Map();
const placeOf = (details) => details.id || [details.closest("[data-of]")?.dataset.of, details.closest("article")?.textContent.slice(0, 120), details.querySelector("summary").textContent.trim()].join("|");
document.addEventListener("click", ({ target }) => {
  const details = target.closest("#place summary")?.parentElement;
  if (details) unfolded.set(placeOf(details), !details.open);
});
const inPlace = (detail, selector) => (detail.target.closest("#place") ? document.querySelectorAll(`#place ${selector}`) : []);
document.addEventListener("htmx:afterSwap", ({ detail }) => {
  for (const details of inPlace(detail, "details")) details.open = unfolded.get(placeOf(details)) ?? details.open;
});
// What is only fetched when it is unfolded is fetched again: it may have opened before htmx listened.
document.addEventListener("htmx:afterSettle", ({ detail }) => {
  for (const details of inPlace(detail, "details[open][hx-get]")) htmx.trigger(details, "toggle");
});

// An answer that replaces or moves the panel between a press and its release would swallow the click: it is
// made on what stands there now.
let pressed = null;
document.addEventListener("pointerdown", ({ target, clientX, clientY }) => {
  const whole = target.closest("#place button, #place label");
  const control = whole?.matches("label") ? whole.querySelector("input[type=radio], input[type=checkbox]") : whole;
  pressed = control && { control, whole, clientX, clientY };
}, true);
document.addEventListener("pointerup", ({ target, clientX, clientY }) => {
  const was = pressed;
  pressed = null;
  if (!was || (was.control.isConnected && was.whole.contains(target))) return;
  // Whoever draws the pointer away has thought better of it.
  if (Math.hypot(clientX - was.clientX, clientY - was.clientY) < 6) sameAs(was.control)?.click();
}, true);

// A link that takes along what is ticked: the address is made when it is pressed.
document.addEventListener("click", (event) => {
  const link = event.target.closest("[data-with-ticked]");
  if (!link) return;
  const ticked = [...document.querySelectorAll(`input[name="${link.dataset.withTicked}"]:checked`)];
  const address = new URL(link.href);
  address.search = "";
  for (const one of ticked) address.searchParams.append(one.name, one.value);
  link.href = address;
});
