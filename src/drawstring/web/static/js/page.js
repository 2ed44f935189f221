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
let turn = Promise.resolve();
export function change(url, values) {
  turn = turn.then(() => htmx.ajax("POST", url, { source: "#place", values, target: "#place", swap: "innerHTML" })).catch(() => {});
  return turn;
}
document.addEventListener("change", ({ target }) => {
  const form = target.closest("[data-changes]");
  if (form && target.name) change(form.dataset.changes, { [target.name]: target.type === "checkbox" ? (target.checked ? "yes" : "no") : target.value });
});
document.addEventListener("submit", (event) => {
  if (event.target.matches("[data-changes]")) event.preventDefault();
});

// An answer that arrives while somebody is typing replaces the panel, but not the half-typed value.
let halfTyped = null;
document.addEventListener("htmx:beforeSwap", () => {
  const field = document.activeElement;
  const isDirty = field?.matches?.("input:not([type=radio])") && field.id && field.value !== field.defaultValue;
  halfTyped = isDirty ? { id: field.id, value: field.value } : null;
});
document.addEventListener("htmx:afterSwap", () => {
  const field = halfTyped && document.getElementById(halfTyped.id);
  if (field) { field.value = halfTyped.value; field.focus(); }
  halfTyped = null;
});
