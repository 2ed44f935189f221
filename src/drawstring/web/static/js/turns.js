// Changes reach the server in the order in which they were made, and no older answer covers a newer one.

let turn = Promise.resolve(), changes = 0;
function inTurn(send) {
  turn = turn.then(() => { changes += 1; return send(); }).catch(() => {});
  return turn;
}

// A changed setting is sent by itself: what a form's other fields show may be older than what a press a
// moment ago has written, and an answer replaces the form that asked.
export function change(url, values, place = "#place") {
  // A value that changes over the frames is changed at the one that is shown.
  const frame = document.getElementById("bench")?.dataset.now;
  if (frame) values = { frame, ...values };
  return inTurn(() => htmx.ajax("POST", url, { source: place, values, target: place, swap: "innerHTML" }));
}

// What is drawn anew by each answer to a change.
const PLACES = ["place", "title-editor"];
const placeOf = (control) => control.closest(PLACES.map((id) => `#${id}`).join())?.id;

// What stands where a control stood before an answer replaced it.
export function sameAs(control, place = "place") {
  if (control.isConnected) return control;
  const all = (selector) => [...document.querySelectorAll(`#${place} ${selector}`)];
  if (control.matches("button")) {
    const { textContent, dataset } = control, said = JSON.stringify(dataset);
    return all("button").find((button) => button.textContent === textContent && JSON.stringify(button.dataset) === said);
  }
  if (control.matches("input")) return all(`[name="${CSS.escape(control.name)}"][value="${CSS.escape(control.value)}"]`)[0];
  const asks = control.getAttribute("hx-post");
  return all(control.localName).find((other) => other.getAttribute("hx-post") === asks);
}

// A form that was replaced while it waited goes out with what had been put into it.
function fill(form, from) {
  const fields = form.matches("form") ? [...form.elements] : [form], before = from.matches("form") ? [...from.elements] : [from];
  for (const field of fields) {
    const old = before.find((other) => other.name === field.name && (field.type !== "radio" || other.value === field.value));
    if (!old || !field.name) continue;
    if (field.type === "file") field.files = old.files;
    else if (field.type === "radio" || field.type === "checkbox") field.checked = old.checked;
    else field.value = old.value;
  }
}

// Presses and forms that change the shot wait for what was sent before them.
document.addEventListener("htmx:confirm", (event) => {
  const { elt, verb, path, target, triggeringEvent, etc } = event.detail;
  if (verb === "get" || !PLACES.includes(target?.id) || etc?.returnPromise) return;
  event.preventDefault();
  inTurn(() => {
    const source = sameAs(elt, target.id);
    if (!source) return null;
    if (source !== elt && !source.matches("button")) fill(source, elt);
    return htmx.ajax(verb, path, { source, event: triggeringEvent, target: `#${target.id}`, swap: "innerHTML" });
  });
});

// A press is not lost when an answer replaces its button while the finger is down, nor a file that was chosen
// while one replaced its field.
let pressed = null, placeOfPressed = null;
document.addEventListener("pointerdown", ({ target }) => {
  pressed = target.closest("button");
  placeOfPressed = pressed && placeOf(pressed);
});
document.addEventListener("pointerup", ({ target }) => {
  if (!placeOfPressed || pressed.isConnected) return;
  const now = sameAs(pressed, placeOfPressed);
  if (now?.contains(target)) now.click();
});
document.addEventListener("click", ({ target }) => {
  const place = placeOf(target);
  if (!place || !target.matches("input[type=file]")) return;
  target.addEventListener("change", () => {
    const now = target.isConnected ? null : document.querySelector(`#${place} input[type=file][name="${CSS.escape(target.name)}"]`);
    if (!now) return;
    now.files = target.files;
    now.dispatchEvent(new Event("change", { bubbles: true }));
  }, { once: true });
});

// A panel that was asked for before a change shows what was so before it: the change brings its own.
const askedAt = new WeakMap();
document.addEventListener("htmx:beforeRequest", ({ detail: { xhr, requestConfig } }) => {
  if (requestConfig.verb === "get") askedAt.set(xhr, changes);
});
document.addEventListener("htmx:beforeSwap", ({ detail }) => {
  if ([...PLACES, "panel"].includes(detail.target.id) && askedAt.has(detail.xhr) && askedAt.get(detail.xhr) !== changes) detail.shouldSwap = false;
});
