// What lies under the well at the Alpha and Eyes knots: evidence of the open part, asked anew when frame or
// recipe change.
export class AlphaSide {
  constructor(element, { shot, knot, now, set, counted }) {
    Object.assign(this, { element, shot, knot, now, set, counted, part: "", place: 1, search: "" });
    element.addEventListener("click", ({ target }) => {
      const toggles = target.closest("[data-toggles]"), all = target.closest("[data-takes-pattern]");
      const sets = target.closest("[data-set-eyes]");
      if (sets) this.set(JSON.parse(sets.dataset.setEyes));
      if (toggles) this.#toggle(toggles.dataset);
      if (all) this.#add(all.dataset.takesPattern, all.dataset.pattern);
    });
    element.addEventListener("input", ({ target }) => {
      if (target.id === "thing-search") this.#searchSoon();
    });
  }

  #searchSoon() {
    clearTimeout(this.waiting);
    this.waiting = setTimeout(() => {
      this.search = document.getElementById("thing-search")?.value.trim() ?? "";
      this.show();
    }, 250);
  }

  open(part, place) {
    Object.assign(this, { part, place });
    return this.show();
  }

  // One question under way, the newest one next.
  async show() {
    if (!this.part) return;
    if (this.isBusy) { this.again = true; return; }
    this.isBusy = true;
    try {
      const query = new URLSearchParams({ part: this.part, place: this.place, frame: this.now(), search: this.search });
      const answer = await fetch(`/shots/${this.shot}/${this.knot}/evidence?${query}`);
      if (!answer.ok) return;
      const html = await answer.text(), before = document.getElementById("thing-search");
      const typed = before?.value, typing = before && document.activeElement === before ? before.selectionStart : null;
      this.element.innerHTML = html;
      htmx.process(this.element);
      this.#goOn();
      this.element.dataset.shows = `${this.part} ${this.now()}`;
      const field = document.getElementById("thing-search");
      // What was typed meanwhile is not in this answer yet.
      if (field && typed !== undefined) {
        field.value = typed;
        if (typed.trim() !== this.search) this.#searchSoon();
      }
      if (typing !== null && field) { field.focus(); field.setSelectionRange(typing, typing); }
    } finally {
      this.isBusy = false;
      if (this.again) { this.again = false; this.show(); }
    }
  }

  // What is still being counted is asked for again; its findings come with it.
  #goOn() {
    const waits = Boolean(this.element.querySelector("[data-again]"));
    if (this.waits && !waits) this.counted?.();
    this.waits = waits;
    clearTimeout(this.later);
    if (waits) this.later = setTimeout(() => this.show(), 1500);
  }

  #names(name) {
    const field = document.querySelector(`#place [name="${CSS.escape(name)}"]`);
    return (field?.value ?? "").split(",").map((one) => one.trim()).filter(Boolean);
  }

  #toggle({ toggles, thing }) {
    const names = this.#names(toggles), pressed = this.element.querySelector(`[data-thing="${CSS.escape(thing)}"]`)?.getAttribute("aria-pressed") === "true";
    const kept = names.filter((one) => one !== thing && one !== `-${thing}`);
    // Chosen by a wildcard, it is taken out by name.
    const byPattern = pressed && !names.includes(thing);
    this.set({ [toggles]: (pressed ? (byPattern ? [...kept, `-${thing}`] : kept) : [...kept, thing]).join(", ") });
  }

  #add(name, pattern) {
    const wanted = /[*?[]/.test(pattern) ? pattern : `*${pattern}*`;
    this.set({ [name]: [...this.#names(name).filter((one) => one !== wanted), wanted].join(", ") });
  }
}
