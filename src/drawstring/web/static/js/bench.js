// The bench: passes into the well, frames stepped and played, handles that try settings out.
import { change, isTyping } from "./page.js";
import { fetchCube, Pictures } from "./pictures.js";
import { OverFrames } from "./overframes.js";
import { Strip } from "./strip.js";
import { Well } from "./well.js";

const bench = document.getElementById("bench");
if (bench) start();

function start() {
  const { shot, knot, fps } = bench.dataset;
  const wellElement = document.getElementById("well"), note = wellElement.querySelector(".well-note");
  const well = new Well(wellElement), pictures = new Pictures(shot);
  const names = [bench.dataset.a, bench.dataset.b];
  const cells = [...document.querySelectorAll("#frames .cell:not([disabled])")];
  const frames = cells.map((cell) => Number(cell.dataset.frame));
  const reading = document.getElementById("reading");
  const wished = new URLSearchParams(location.search);
  let frame = Number(frames.includes(Number(wished.get("frame"))) ? wished.get("frame") : bench.dataset.frame), tried = {}, taking = null, playing = null, asked = 0;

  const say = (text) => { note.textContent = text; note.hidden = !text; };
  const results = bench.dataset.results.split(" "), isResult = (name) => results.includes(name);
  const resultInTray = () => results.find((name) => document.querySelector(`#tray [data-pass="${name}"]`));
  // Half size is plenty while the picture is shown smaller than that.
  const level = () => (well.scale === null ? Number(bench.dataset.width) / well.canvas.width >= 1.9 : well.scale <= 0.52) ? 1 : 0;

  async function load(only = [0, 1]) {
    const mine = ++asked, at = frame;
    const slots = only.filter((slot) => slot === 0 || well.mode !== "one");
    try {
      const laid = await Promise.all(slots.map((slot) => pictures.get(at, names[slot], level(), isResult(names[slot]) ? tried : {})));
      if (mine !== asked) return;
      slots.forEach((slot, i) => well.lay(slot, laid[i]));
      say("");
      cells.forEach((cell) => cell.classList.toggle("is-loaded", pictures.has(Number(cell.dataset.frame), names[0], level())));
    } catch (error) {
      if (mine === asked) say(error.message);
    }
  }

  function mark() {
    document.querySelectorAll("#tray .pass").forEach((pass) => {
      const letters = ["A", "B"].filter((_, slot) => pass.dataset.pass === names[slot] && (slot === 0 || well.mode !== "one"));
      pass.classList.toggle("is-a", letters.includes("A"));
      pass.classList.toggle("is-b", letters.includes("B"));
      pass.querySelector(".letter").textContent = letters.join("");
    });
    const plain = (name) => name.replaceAll("_", " ").replace("@", ", read as ");
    const two = well.mode !== "one";
    wellElement.querySelector(".over.a").textContent = well.mode === "difference" ? `${plain(names[0])} minus ${plain(names[1])}` : (two ? "A " : "") + plain(names[0]);
    wellElement.querySelector(".over.b").textContent = two && well.mode !== "difference" ? `B ${plain(names[1])}` : "";
    cells.forEach((cell) => (Number(cell.dataset.frame) === frame ? cell.setAttribute("aria-current", "true") : cell.removeAttribute("aria-current")));
    document.getElementById("now").textContent = frame;
    const bar = wellElement.querySelector(".wipe");
    markFlags();
    bar.hidden = well.mode !== "wipe";
    bar.style.left = `${well.share * 100}%`;
    bar.setAttribute("aria-valuenow", Math.round(well.share * 100));
  }

  // What a pass holds over all frames, where the knot shows it.
  const factsPlace = document.getElementById("facts-of-pass");
  let factsOf = null;
  function showFacts(name, again = false) {
    const bare = name.split("@")[0];
    if (!factsPlace || (factsOf === bare && !again)) return;
    factsOf = bare;
    htmx.ajax("GET", `/shots/${shot}/facts/${encodeURIComponent(bare)}`, { target: factsPlace, swap: "innerHTML" }).then(markFlags);
  }
  function markFlags() {
    factsPlace?.querySelectorAll(".column").forEach((column) => column.classList.toggle("is-now", Number(column.dataset.go) === frame));
  }

  function choose(slot, name) {
    if (slot === 0) showFacts(name);
    names[slot] = name;
    if (slot === 1 && well.mode === "one") setMode("wipe");
    mark();
    return load([slot]);
  }

  function setMode(mode) {
    well.set({ mode });
    document.querySelector(`input[name=compare][value=${mode}]`).checked = true;
    mark();
    load();
  }

  async function go(to) {
    if (to === frame || !frames.includes(to)) return;
    frame = to;
    mark();
    await Promise.all([load(), showStrip()]);
  }

  const step = (by) => go(frames[(frames.indexOf(frame) + by + frames.length) % frames.length]);

  async function play() {
    const button = document.getElementById("play");
    if (playing) { playing = null; return; }
    const mine = (playing = {});
    button.textContent = "❚❚";
    button.setAttribute("aria-label", "Stop");
    while (playing === mine) {
      const began = performance.now();
      const next = frames[(frames.indexOf(frame) + 1) % frames.length];
      frame = next;
      mark();
      await load();
      await new Promise((done) => setTimeout(done, Math.max(0, 1000 / fps - (performance.now() - began))));
    }
    button.textContent = "▶";
    button.setAttribute("aria-label", "Play");
    showStrip();
  }

  // The distance strip: one question under way, the newest one next.
  const stripElement = document.getElementById("strip");
  const strip = stripElement && new Strip(stripElement, { onTry: tryOut, onSet: settle });
  const overFrames = strip && new OverFrames(document.getElementById("over-frames"), (number) => go(number));
  document.querySelectorAll("input[name=strip-form]").forEach((input) => input.addEventListener("change", () => {
    const shows = (form) => input.value === form;
    stripElement.toggleAttribute("hidden", !shows("strip"));
    document.getElementById("over-frames").toggleAttribute("hidden", !shows("frames"));
    for (const form of ["strip", "frames"]) document.querySelector(`[data-says-${form}]`).hidden = !shows(form);
  }));
  let stripBusy = false, stripAgain = false;
  async function showStrip() {
    if (!strip) return;
    if (stripBusy) { stripAgain = true; return; }
    stripBusy = true;
    try {
      const answer = await fetch(`/shots/${shot}/depth/strip?${new URLSearchParams({ frame, ...tried })}`, { headers: { Accept: "application/json" } });
      if (answer.ok) {
        const data = await answer.json();
        strip.show(data);
        overFrames.show(data, frame);
      }
    } finally {
      stripBusy = false;
      if (stripAgain) { stripAgain = false; showStrip(); }
    }
  }

  let trying = false, tryAgain = false;
  async function tryOut(end, distance) {
    tried[`depth.${end}`] = distance;
    const field = document.getElementById(`depth-${end}`);
    if (field) field.value = distance;
    if (trying) { tryAgain = true; return; }
    trying = true;
    if (!isResult(names[0]) && !isResult(names[1]) && resultInTray()) {
      names[1] = resultInTray();
      if (well.mode === "one") setMode("wipe");
    }
    await Promise.all([load([0, 1].filter((slot) => isResult(names[slot]))), showStrip()]);
    trying = false;
    if (tryAgain) { tryAgain = false; tryOut(end, tried[`depth.${end}`] ?? distance); }
  }

  function settle(end, distance) {
    change(`/shots/${shot}/depth`, { [`depth.${end}`]: distance });
  }

  document.body.addEventListener("recipe-changed", () => {
    tried = {};
    tryAgain = false;
    pictures.forget(results);
    const has = resultInTray();
    if (has && knot === "depth" && !names.some(isResult)) { names[1] = has; if (well.mode === "one") setMode("wipe"); }
    if (!has) [0, 1].forEach((slot) => { if (isResult(names[slot])) names[slot] = "depth"; });
    take(null);
    // A corrected role may have given a pass another name.
    const inTray = (name) => document.querySelector(`#tray [data-pass="${CSS.escape(name.split("@")[0])}"]`);
    const first = document.querySelector("#tray .pass")?.dataset.pass;
    [0, 1].forEach((slot) => { if (!inTray(names[slot]) && first) names[slot] = first; });
    showFacts(names[0], true);
    mark();
    load();
    showStrip();
  });

  // Taking an end from the picture.
  function take(end) {
    taking = end;
    wellElement.classList.toggle("is-taking", Boolean(end));
    document.querySelectorAll("[data-take]").forEach((button) => button.setAttribute("aria-pressed", String(button.dataset.take === end)));
    say(end ? `Click on the ${end === "near" ? "nearest" : "furthest"} thing that matters. Escape leaves it as it was.` : "");
  }

  document.addEventListener("click", (event) => {
    const goTo = event.target.closest("[data-go]"), look = event.target.closest("[data-look]"), readings = event.target.closest("[data-readings]");
    if (goTo) return go(Number(goTo.dataset.go));
    if (look) return choose(0, look.dataset.look);
    if (readings) {
      const { readings: name, first, second } = readings.dataset;
      [names[0], names[1]] = [`${name}@${first}`, `${name}@${second}`];
      return setMode("beside");
    }
    const pass = event.target.closest("#tray .pass"), cell = event.target.closest("#frames .cell"), button = event.target.closest("[data-take]");
    if (pass) choose(event.shiftKey ? 1 : 0, pass.dataset.pass);
    else if (cell && !cell.disabled) go(Number(cell.dataset.frame));
    else if (button) take(taking === button.dataset.take ? null : button.dataset.take);
  });

  // Reading pixels: the shown pictures at once, every pass as soon as the server says.
  let readingBusy = false, readingNext = null;
  async function read(at) {
    const local = [0, 1].filter((slot) => slot === 0 || well.mode !== "one").map((slot) => [names[slot], well.valuesAt(slot, at)]);
    show(at, local.filter(([, values]) => values).map(([name, values]) => [name, values.map((v) => (Number.isFinite(v) ? v.toFixed(4) : String(v))).join(" ")]));
    if (readingBusy) { readingNext = at; return; }
    readingBusy = true;
    try {
      const answer = await fetch(`/shots/${shot}/frames/${frame}/values?${new URLSearchParams({ x: at.x, y: at.y, ...tried })}`, { headers: { Accept: "application/json" } });
      if (answer.ok) {
        const told = await answer.json();
        show(at, told.passes.map((one) => [one.name, one.values]));
        strip?.point(told.distance);
      }
    } finally {
      readingBusy = false;
      if (readingNext) { const next = readingNext; readingNext = null; read(next); }
    }
  }

  function show(at, values) {
    const bold = values.flatMap(([name, text]) => { const b = document.createElement("b"); b.textContent = name.replaceAll("_", " "); return [b, ` ${text}`]; });
    reading.replaceChildren(`${at.x}, ${at.y}`, ...bold);
    reading.title = reading.textContent;
  }

  let held = null;
  well.canvas.addEventListener("pointermove", (event) => {
    if (held) {
      held.moved ||= Math.hypot(event.clientX - held.x, event.clientY - held.y) > 4;
      if (held.moved) { well.move(event.clientX - held.lastX, event.clientY - held.lastY); Object.assign(held, { lastX: event.clientX, lastY: event.clientY }); }
      return;
    }
    const at = well.pixelAt(event.clientX, event.clientY);
    if (at) read(at);
  });
  well.canvas.addEventListener("pointerdown", (event) => {
    well.canvas.setPointerCapture(event.pointerId);
    held = { x: event.clientX, y: event.clientY, lastX: event.clientX, lastY: event.clientY, moved: false };
  });
  well.canvas.addEventListener("pointerup", (event) => {
    const clicked = held && !held.moved;
    held = null;
    const at = well.pixelAt(event.clientX, event.clientY);
    if (clicked && at && taking) {
      change(`/shots/${shot}/depth/pick`, { end: taking, frame, x: at.x, y: at.y });
    }
  });
  well.canvas.addEventListener("wheel", (event) => {
    event.preventDefault();
    well.zoom(1.0015 ** -event.deltaY, event.clientX, event.clientY);
  }, { passive: false });
  wellElement.addEventListener("well-zoomed", (event) => {
    document.getElementById("zoom").textContent = `${Math.round(event.detail * 100)} %`;
    clearTimeout(wellElement.sharper);
    wellElement.sharper = setTimeout(() => well.pictures[0] && load(), 150);
  });

  const wipe = wellElement.querySelector(".wipe");
  const wipeTo = (share) => { well.set({ share: Math.min(1, Math.max(0, share)) }); mark(); };
  wipe.addEventListener("pointerdown", (event) => wipe.setPointerCapture(event.pointerId));
  wipe.addEventListener("pointermove", (event) => {
    if (!wipe.hasPointerCapture(event.pointerId)) return;
    const box = wellElement.getBoundingClientRect();
    wipeTo((event.clientX - box.left) / box.width);
  });
  wipe.addEventListener("keydown", (event) => {
    const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[event.key];
    if (by) { event.stopPropagation(); wipeTo(well.share + by); }
  });

  document.querySelectorAll("input[name=compare]").forEach((input) => input.addEventListener("change", () => setMode(input.value)));
  const exposure = document.getElementById("exposure");
  const expose = (stops) => { exposure.value = stops; well.set({ stops: Number(stops) || 0 }); };
  exposure.addEventListener("input", () => well.set({ stops: Number(exposure.value) || 0 }));
  exposure.addEventListener("dblclick", () => expose(0));
  document.getElementById("channel").addEventListener("change", (event) => well.set({ channel: event.target.value }));
  const view = async (name) => { try { well.setView(await fetchCube(name)); } catch (error) { say(error.message); } };
  document.getElementById("view").addEventListener("change", (event) => view(event.target.value));
  document.getElementById("fit").addEventListener("click", () => well.fit());
  document.getElementById("zoom").addEventListener("click", () => well.oneToOne());
  document.getElementById("play").addEventListener("click", play);

  document.addEventListener("keydown", (event) => {
    if (event.key === "Escape") take(null);
    if (isTyping(event) || event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented) return;
    if (event.target.closest(".handle, .wipe")) return;
    const modes = ["one", "wipe", "beside", "difference"];
    const press = {
      ArrowLeft: () => step(-1), ArrowRight: () => step(1), " ": play,
      "[": () => expose(well.stops - 0.5), "]": () => expose(well.stops + 0.5),
      f: () => well.fit(), z: () => well.oneToOne(), n: () => take("near"), m: () => take("far"),
      ...Object.fromEntries(modes.map((mode, i) => [String(i + 1), () => setMode(mode)])),
    }[event.key.length === 1 ? event.key.toLowerCase() : event.key];
    if (!press || (event.key === " " && event.target.closest("button, input")) || (event.key.startsWith("Arrow") && event.target.closest("input"))) return;
    event.preventDefault();
    press();
  });

  document.body.addEventListener("htmx:afterSettle", mark);
  // A measurement that has just ended fills the strip.
  document.body.addEventListener("htmx:afterSwap", (event) => {
    if (event.detail.elt?.id === "measured" || document.getElementById("measured")?.dataset.state === "done") {
      if (strip && !strip.data?.ready) showStrip();
    }
  });

  if (wished.get("pass") && document.querySelector(`#tray [data-pass="${CSS.escape(wished.get("pass"))}"]`)) names[0] = wished.get("pass");
  showFacts(names[0]);
  mark();
  view(document.getElementById("view").value).then(() => load());
  if (knot === "depth" && names[0] !== names[1]) setMode("wipe");
  showStrip();
}
