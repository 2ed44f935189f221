// The bench: passes into the well, frames stepped and played, handles that try settings out.
import { change, isTyping } from "./page.js";
import { rove } from "./focus.js";
import { fetchCube, Pictures } from "./pictures.js";
import { OverFrames } from "./overframes.js";
import { Side } from "./side.js";
import { Strip } from "./strip.js";
import { Tracks } from "./tracks.js";
import { AlphaSide } from "./alphaside.js";
import { Brush } from "./brush.js";
import { Drawing } from "./drawing.js";
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
  const reading = document.getElementById("reading"), place = document.getElementById("place");
  const wished = new URLSearchParams(location.search);
  let frame = Number(frames.includes(Number(wished.get("frame"))) ? wished.get("frame") : bench.dataset.frame), tried = {}, taking = null, playing = null, asked = 0;

  const say = (text) => { note.textContent = text; note.hidden = !text; };
  // What takes a moment says what it does; what is there at once says nothing.
  let saying = 0;
  const sayWhileWaiting = (text) => { clearTimeout(saying); saying = setTimeout(() => { if (!taking) { say(text); note.classList.add("is-waiting"); } }, 200); };
  const sayDone = () => { clearTimeout(saying); if (note.classList.contains("is-waiting")) say(""); note.classList.remove("is-waiting"); };
  const fixed = bench.dataset.results.split(" ");
  // Mattes and layers bear names that the recipe gives them.
  const isResult = (name) => fixed.includes(name) || /(^|\.)(matte_|layer_|form_|CryptoNamed\d)/.test(name);
  const isThere = (name) => Boolean(document.querySelector(`#tray [data-pass="${CSS.escape(name.split("@")[0])}"]`));
  const inTray = () => [...document.querySelectorAll("#tray [data-pass]")].map((pass) => pass.dataset.pass).filter(isResult);
  // What a part of a knot makes, the one that shows it best first.
  const MADE = { range: ["depth_normalised"], mist: ["beauty_mist", "mist_amount"], focus: ["beauty_focus", "blur_radius"],
    kind: ["over_ground", "fringes"], shadow: ["shadow_multiply", "shadow_layer"], stack: ["stack"],
    pair: ["eye_left"], parallax: ["parallax"], glasses: ["anaglyph"], round: ["eye_left"] };
  const forms = () => [...inTray().filter((name) => name.startsWith("form_")), "anaglyph"];
  const made = () => (place.dataset.part === "forms" ? forms() : place.dataset.part === "mattes" ? [chosenForm()?.dataset.result].filter(Boolean) : MADE[place.dataset.part] ?? inTray());
  const resultInTray = () => made().find(isThere);
  // Half size is plenty while the picture is shown smaller than that.
  const level = () => (well.scale === null ? Number(bench.dataset.width) / well.canvas.width >= 1.9 : well.scale <= 0.52) ? 1 : 0;

  // A result that takes long comes small first and whole later; while a hand moves something, small is enough.
  const SLOW = ["beauty_focus", "beauty_mist", "stack", "shadow_layer", "shadow_multiply", "shadow_recomposed",
    "eye_left", "eye_right", "parallax", "anaglyph", "glasses_left", "glasses_right"];
  async function load(only = [0, 1]) {
    const mine = ++asked, at = frame;
    const slots = only.filter((slot) => slot === 0 || well.mode !== "one");
    const isSlow = (slot) => SLOW.some((name) => names[slot].endsWith(name)), isTrying = Object.keys(tried).length > 0;
    const lay = async (levels) => {
      const laid = await Promise.all(slots.map((slot, i) => pictures.get(at, names[slot], levels[i], isResult(names[slot]) ? tried : {})));
      if (mine === asked) slots.forEach((slot, i) => well.lay(slot, laid[i]));
    };
    const waits = slots.some((slot) => !pictures.has(at, names[slot], level()) || isTrying);
    if (waits) sayWhileWaiting(isTrying ? "Working …" : `Loading frame ${at}, ${slots.map((slot) => plainName(names[slot])).join(" and ")} …`);
    try {
      const whole = slots.map(() => level()), quick = slots.map((slot, i) => (isSlow(slot) ? Math.max(1, whole[i]) : whole[i]));
      const isKept = slots.every((slot, i) => pictures.has(at, names[slot], whole[i]));
      if (isTrying || (!isKept && slots.some(isSlow))) await lay(quick);
      if (mine === asked && !isTrying && (isKept || String(quick) !== String(whole) || !slots.some(isSlow))) await lay(whole);
      if (mine !== asked) return;
      sayDone();
      say("");
      cells.forEach((cell) => cell.classList.toggle("is-loaded", pictures.has(Number(cell.dataset.frame), names[0], level())));
    } catch (error) {
      if (mine === asked) { sayDone(); say(error.message); }
    }
  }
  const plainName = (name) => (name === "picture" ? "finished picture" : name.replaceAll("_", " ").replace("@", ", read as "));

  const stopsInTray = rove(document.getElementById("tray"), (pass) => pass.classList.contains("is-a"), { next: "ArrowDown", before: "ArrowUp" });
  const stopsInFrames = rove(document.querySelector("#frames ol"), (cell) => cell.getAttribute("aria-current"),
    { next: "ArrowRight", before: "ArrowLeft", onMove: (cell) => cell.dataset.frame && go(Number(cell.dataset.frame)) });
  function mark() {
    document.querySelectorAll("#tray .pass").forEach((pass) => {
      const letters = ["A", "B"].filter((_, slot) => pass.dataset.pass === names[slot] && (slot === 0 || well.mode !== "one"));
      pass.classList.toggle("is-a", letters.includes("A"));
      pass.classList.toggle("is-b", letters.includes("B"));
      pass.querySelector(".letter").textContent = letters.join("");
    });
    const plain = plainName;
    stopsInTray();
    stopsInFrames();
    const two = well.mode !== "one";
    wellElement.querySelector(".over.a").textContent = well.mode === "difference" ? `${plain(names[0])} minus ${plain(names[1])}` : (two ? "A " : "") + plain(names[0]);
    wellElement.querySelector(".over.b").textContent = two && well.mode !== "difference" ? `B ${plain(names[1])}` : "";
    cells.forEach((cell) => (Number(cell.dataset.frame) === frame ? cell.setAttribute("aria-current", "true") : cell.removeAttribute("aria-current")));
    document.getElementById("now").textContent = bench.dataset.now = frame;
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
    tracks?.draw();
    drawing.draw();
    well.mark(null);
    await Promise.all([load(), showStrip(), showObjects(), alphaSide?.show()]);
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
      tracks?.draw();
      drawing.draw();
      await load();
      await new Promise((done) => setTimeout(done, Math.max(0, 1000 / fps - (performance.now() - began))));
    }
    button.textContent = "▶";
    button.setAttribute("aria-label", "Play");
    showStrip();
    alphaSide?.show();
  }

  // The distance strip: one question under way, the newest one next.
  const stripElement = document.getElementById("strip");
  const strip = stripElement && new Strip(stripElement, { onTry: tryOut, onSet: settle, onHover: markBand });
  const overFrames = strip && new OverFrames(document.getElementById("over-frames"), (number) => go(number));
  const side = strip && new Side(document.getElementById("from-side"));
  const tracks = document.getElementById("track") && new Tracks({ frames, now: () => frame, go, set: settle });
  const drawing = new Drawing(wellElement, well, { tracks, now: () => frame, set: settle, say });
  const brush = new Brush(wellElement, well, { now: () => frame, set: settle, say });
  const evidenceElement = document.getElementById("alpha-evidence") ?? document.getElementById("eyes-evidence");
  const alphaSide = evidenceElement && new AlphaSide(evidenceElement, { shot, knot, now: () => frame, set: settle, counted: refresh });
  const form = () => document.querySelector("input[name=strip-form]:checked")?.value;
  document.querySelectorAll("input[name=strip-form]").forEach((input) => input.addEventListener("change", () => {
    for (const [one, id] of [["strip", "strip"], ["frames", "over-frames"], ["side", "from-side"]]) {
      document.getElementById(id).toggleAttribute("hidden", form() !== one);
      document.querySelector(`[data-says=${one}]`).hidden = form() !== one;
    }
    document.getElementById("axis-kind").hidden = form() !== "strip";
    showStrip();
  }));
  document.getElementById("axis-kind")?.addEventListener("click", ({ currentTarget }) => {
    strip.look({ isEven: !strip.isEven });
    currentTarget.setAttribute("aria-pressed", String(strip.isEven));
  });
  let stripBusy = false, stripAgain = false;
  async function showStrip() {
    if (!strip) return;
    if (stripBusy) { stripAgain = true; return; }
    stripBusy = true;
    try {
      const what = form() === "side" ? "side" : "strip";
      const answer = await fetch(`/shots/${shot}/depth/${what}?${new URLSearchParams({ frame, ...tried })}`, { headers: { Accept: "application/json" } });
      if (!answer.ok) return;
      const data = await answer.json();
      if (what === "side") return side.show(data);
      strip.show(data);
      overFrames.show(data, frame);
      const said = document.querySelector("[data-says-focus]"), focus = data.focus;
      if (said) said.textContent = focus ? focus.why || `${focus.says}; largest blur ${focus.largest}, ${focus.by}` : "";
    } finally {
      stripBusy = false;
      if (stripAgain) { stripAgain = false; showStrip(); }
    }
  }

  async function showObjects() {
    if (!strip) return;
    const at = frame, answer = await fetch(`/shots/${shot}/depth/objects?frame=${at}`, { headers: { Accept: "application/json" } });
    if (answer.ok && at === frame) strip.look({ objects: (await answer.json()).objects });
  }

  // The pixels that lie at the distances pointed at on the strip.
  let bandAsked = 0;
  async function markBand(band) {
    const mine = ++bandAsked;
    if (!band) return well.mark(null);
    try {
      const distances = await pictures.get(frame, "distance", Math.max(1, level()));
      if (mine === bandAsked) well.mark(band, distances);
    } catch { /* the picture itself says what is wrong */ }
  }

  // The parts of Depth: one is open; it chooses the handles on the strip and what lies in the well.
  const SAYS = {
    range: "dark: this frame \u00a0 faint: all \u00a0 line: value",
    mist: "dashes: how much mist lies before that distance",
    focus: "band: sharp \u00a0 line: size of the blur",
  };
  const chosenLayers = {};
  const chosenForm = () => place.querySelector(`.part[data-of="${place.dataset.part}"] form.layer[data-layer="${chosenLayers[place.dataset.part] || 1}"]`);
  function openPart(part, { isFirst = false } = {}) {
    if (!strip && !alphaSide) return;
    if (!place.querySelector(`[role=tab][data-part="${part}"]`)) part = place.querySelector("[role=tab]").dataset.part;
    place.dataset.part = part;
    // Loaded again, the page opens where it was.
    const url = new URL(location);
    url.searchParams.set("part", part);
    history.replaceState(null, "", url);
    for (const tab of place.querySelectorAll("[role=tab]")) tab.setAttribute("aria-selected", String(tab.dataset.part === part));
    for (const panel of place.querySelectorAll(".part")) panel.hidden = panel.dataset.of !== part;
    const own = place.querySelector(`.part[data-of="${part}"]`);
    const layers = [...own.querySelectorAll("form.layer")], chosen = Math.min(chosenLayers[part] || 1, layers.length || 1);
    chosenLayers[part] = chosen;
    layers.forEach((form) => { form.hidden = Number(form.dataset.layer) !== chosen; });
    own.querySelectorAll(".layers li").forEach((item) => item.classList.toggle("is-chosen", Number(item.dataset.layer) === chosen));
    const prefix = { pair: "eyes.", parallax: "eyes.", round: "eyes.", mist: `depth.mist.${chosen}.`, focus: "depth.focus.", mattes: `alpha.mattes.${chosen}.`, shadow: "alpha.shadow.", stack: `alpha.stack.${chosen}.` }[part] ?? "-";
    tracks.prefer(prefix);
    if (strip) {
      document.querySelector("[data-says=strip]").textContent = SAYS[part];
      strip.look({ part, layer: chosen });
    }
    if (part === "mist" && layers.length) showSwatches(chosen);
    drawing.show(own.querySelector(`[data-shape^="${prefix}"]`)?.dataset.shape ?? null);
    brush.goOn();
    alphaSide?.open(part, chosen);
    if (isFirst) showPart();
  }
  function showPart() {
    const result = resultInTray(), before = isThere("beauty") ? "beauty" : names[0];
    if (!result) return;
    if (knot === "eyes") return showEyes(result);
    const isWhole = ["focus", "kind", "shadow", "stack"].includes(place.dataset.part);
    [names[0], names[1]] = isWhole ? [result, before] : [before, result];
    if (isWhole && well.mode === "wipe") setMode("one");
    else if (!isWhole && well.mode === "one") setMode("wipe");
    else { mark(); load(); }
  }
  // Left and right lie in A and B, so that every way of looking at two eyes has them.
  function showEyes(result) {
    const isPair = ["pair", "round"].includes(place.dataset.part);
    names[0] = isPair ? "eye_left" : result;
    names[1] = isThere("eye_right") ? "eye_right" : names[0];
    turn(place.dataset.part === "round" && isRoundShot());
    setMode(isPair && place.dataset.part === "pair" ? (EYE_MODES.includes(well.mode) ? well.mode : "beside") : "one");
  }
  const EYE_MODES = ["beside", "wipe", "difference", "crossed", "flicker", "anaglyph", "lines"];
  const isRoundShot = () => Boolean(place.querySelector("#eyes-is_round")?.checked);
  function turn(on) {
    well.turn(on ? well.looks ?? { yaw: 0, pitch: 0, field: 80 } : null);
    document.getElementById("look-round")?.setAttribute("aria-pressed", String(on));
    sayLooks();
  }
  function sayLooks() {
    const at = document.getElementById("looks-at"), looks = well.round;
    if (at) at.textContent = looks ? `${looks.yaw.toFixed(0)}° right, ${looks.pitch.toFixed(0)}° up, ${looks.field.toFixed(0)}° across` : "";
  }
  function turnBy(yaw, pitch, field = 0) {
    const { round } = well;
    well.turn({
      yaw: ((round.yaw + yaw + 540) % 360) - 180,
      pitch: Math.min(90, Math.max(-90, round.pitch + pitch)),
      field: Math.min(140, Math.max(10, round.field + field)),
    });
    sayLooks();
  }
  document.getElementById("look-round")?.addEventListener("click", () => turn(!well.round));
  const swapEyes = () => place.querySelector("#eyes-swap")?.click();
  document.getElementById("swap-eyes")?.addEventListener("click", swapEyes);
  function readMatrices() {
    const told = document.getElementById("anaglyph-matrices");
    if (told) well.setAnaglyph(JSON.parse(told.textContent));
  }
  function showSwatches(layer) {
    const target = place.querySelector(`[data-swatches="${layer}"]`);
    if (target && !target.childElementCount) htmx.ajax("GET", `/shots/${shot}/depth/swatches?frame=${frame}&mist=${layer}`, { target, swap: "innerHTML" });
  }
  place?.addEventListener("click", ({ target }) => {
    const tab = target.closest("[role=tab]"), layer = target.closest("[data-choose-layer]"), sets = target.closest("[data-sets]");
    if (tab) openPart(tab.dataset.part, { isFirst: true });
    if (layer) { chosenLayers[place.dataset.part] = Number(layer.dataset.chooseLayer); openPart(place.dataset.part, { isFirst: place.dataset.part === "mattes" }); }
    if (target.closest("[data-middle]") && well.round) {
      const had = Number(place.querySelector("[name='eyes.yaw']").value) || 0;
      settle({ "eyes.yaw": (((had + well.round.yaw + 540) % 360) - 180).toFixed(2) });
      turnBy(-well.round.yaw, 0);
    }
    if (target.closest("[data-flat]") && well.round) settle({ "eyes.look_yaw": well.round.yaw.toFixed(2), "eyes.look_pitch": well.round.pitch.toFixed(2), "eyes.look_field": well.round.field.toFixed(1) });
    if (target.closest("[data-adds-layer]")) { chosenLayers.stack = 99; settle({ "alpha.stack.add": document.getElementById("layer-source").value }); }
    if (sets) {
      if (sets.dataset.sets.endsWith(".add")) chosenLayers[place.dataset.part] = 99;
      settle({ [sets.dataset.sets]: sets.dataset.value });
    }
  });
  place?.addEventListener("change", ({ target }) => {
    if (target.name === "look-over") { pictures.forget((picture) => picture.name === "over_ground"); tryOut({ "alpha.over": target.value }); }
  });
  // A colour chosen by eye is tried out while it is chosen.
  place?.addEventListener("input", ({ target }) => { if (target.dataset.colourOf) tryOut({ [target.dataset.colourOf]: target.value }); });
  place?.addEventListener("change", ({ target }) => { if (target.dataset.colourOf) settle({ [target.dataset.colourOf]: target.value }); });

  let trying = false, tryAgain = false;
  async function tryOut(settings) {
    Object.assign(tried, settings);
    for (const [name, value] of Object.entries(settings)) {
      const field = document.querySelector(`#place [name="${CSS.escape(name)}"]`);
      if (field && !String(value).startsWith("#")) field.value = value;
    }
    if (trying) { tryAgain = true; return; }
    trying = true;
    if (!isResult(names[0]) && !isResult(names[1]) && resultInTray()) {
      names[1] = resultInTray();
      if (well.mode === "one") setMode("wipe");
    }
    await Promise.all([load([0, 1].filter((slot) => isResult(names[slot]))), showStrip()]);
    trying = false;
    if (tryAgain) { tryAgain = false; tryOut({}); }
  }

  // The panel as it stands now, where nobody is typing in it.
  async function refresh() {
    if (place.contains(document.activeElement) && isTyping({ target: document.activeElement })) return;
    await htmx.ajax("GET", location.href, { source: place, target: place, select: "#place > *", swap: "innerHTML" });
    openPart(place.dataset.part || "");
  }

  function settle(settings) {
    change(`/shots/${shot}/${knot}`, settings);
  }

  let madeBefore = new Set(inTray());
  document.body.addEventListener("recipe-changed", () => {
    tried = {};
    tryAgain = false;
    // How a picture is read may have changed with the rest: only what is no light stays.
    pictures.forget((picture) => isResult(picture.name) || picture.name === "distance" || (knot !== "depth" && picture.kind === "light"));
    // What the open part makes for the first time is what its change was made for.
    const appeared = place.dataset.part && made().some((name) => isThere(name) && !madeBefore.has(name));
    madeBefore = new Set(inTray());
    const hadNone = appeared || !names.some((name) => isResult(name) && isThere(name));
    [0, 1].forEach((slot) => { if (isResult(names[slot]) && !isThere(names[slot])) names[slot] = resultInTray() ?? (isThere("depth") ? "depth" : names[slot]); });
    // Whoever is about to click on the picture goes on; only the press in the panel is a new one.
    take(taking);
    readMatrices();
    tracks?.read();
    openPart(place.dataset.part || "", { isFirst: Boolean(strip || alphaSide) && hadNone });
    // A corrected role may have given a pass another name.
    const first = document.querySelector("#tray .pass")?.dataset.pass;
    [0, 1].forEach((slot) => { if (!isThere(names[slot]) && !isResult(names[slot]) && first) names[slot] = first; });
    showFacts(names[0], true);
    mark();
    load();
    showStrip();
  });

  // Taking an end from the picture.
  function take(end) {
    if (end && !document.querySelector(`[data-take="${end}"]`)) return;
    taking = end;
    wellElement.classList.toggle("is-taking", Boolean(end));
    document.querySelectorAll("[data-take]").forEach((button) => button.setAttribute("aria-pressed", String(button.dataset.take === end)));
    if (!end && note.textContent && !note.textContent.startsWith("Click on")) return;
    const says = end && document.querySelector(`[data-take="${end}"]`)?.dataset.says;
    say(says ? `Click on ${says}. Escape leaves it as it was.` : "");
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
    if (held?.isPainting) return brush.move(event);
    if (held) {
      held.moved ||= Math.hypot(event.clientX - held.x, event.clientY - held.y) > 4;
      if (held.moved && well.round) {
        const per = well.round.field / well.canvas.clientWidth;
        turnBy((held.lastX - event.clientX) * per, (event.clientY - held.lastY) * per);
        Object.assign(held, { lastX: event.clientX, lastY: event.clientY });
      } else if (held.moved) { well.move(event.clientX - held.lastX, event.clientY - held.lastY); Object.assign(held, { lastX: event.clientX, lastY: event.clientY }); }
      return;
    }
    const at = well.pixelAt(event.clientX, event.clientY);
    if (at) read(at);
  });
  well.canvas.addEventListener("pointerdown", (event) => {
    well.canvas.setPointerCapture(event.pointerId);
    if (brush.isOn) { held = { isPainting: true }; return brush.down(event); }
    held = { x: event.clientX, y: event.clientY, lastX: event.clientX, lastY: event.clientY, moved: false };
  });
  well.canvas.addEventListener("pointerup", (event) => {
    if (held?.isPainting) { held = null; return brush.up(); }
    const clicked = held && !held.moved;
    held = null;
    const at = well.pixelAt(event.clientX, event.clientY);
    if (clicked && at && drawing.isOn) drawing.add(at);
    else if (clicked && at && taking) {
      const setting = taking;
      // Things are picked one after another.
      if (!setting.endsWith(".things")) take(null);
      change(`/shots/${shot}/${knot}/pick`, { setting, frame, x: at.x, y: at.y });
    }
  });
  well.canvas.addEventListener("wheel", (event) => {
    event.preventDefault();
    if (well.round) return turnBy(0, 0, event.deltaY * 0.05);
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
    if (event.key === "Escape") { take(null); drawing.leave(); brush.leave(); }
    if (event.key === "Enter" && drawing.isOn) return drawing.close();
    if (isTyping(event) || event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented) return;
    if (event.target.closest(".handle, .wipe")) return;
    const modes = ["one", "wipe", "beside", "difference", ...(knot === "eyes" ? ["crossed", "flicker", "anaglyph", "lines"] : [])];
    if (knot === "eyes" && event.shiftKey && event.key.startsWith("Arrow")) {
      const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key], field = place.querySelector("[name='eyes.shift']");
      if (!by || !field) return;
      event.preventDefault();
      return settle({ "eyes.shift": (Number(field.value) || 0) + by });
    }
    const turns = well.round && { ArrowLeft: [-5, 0], ArrowRight: [5, 0], ArrowUp: [0, 5], ArrowDown: [0, -5] }[event.key];
    if (turns && !event.target.closest("input")) { event.preventDefault(); return turnBy(...turns); }
    const press = {
      ArrowLeft: () => step(-1), ArrowRight: () => step(1), " ": play,
      "[": () => expose(well.stops - 0.5), "]": () => expose(well.stops + 0.5),
      f: () => well.fit(), z: () => well.oneToOne(), n: () => take("depth.near"), m: () => take("depth.far"), s: () => { if (strip) { openPart("focus"); take("depth.focus.distance"); } },
      ...(knot === "eyes" ? { x: swapEyes, r: () => turn(!well.round) } : {}),
      c: () => take(chosenForm()?.querySelector("[data-take$=\".things\"]")?.dataset.take ?? null),
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
  readMatrices();
  mark();
  view(document.getElementById("view").value).then(() => load());
  if (knot === "depth" && names[0] !== names[1]) setMode("wipe");
  openPart(wished.get("part") || "", { isFirst: Boolean(wished.get("part") || alphaSide) });
  showStrip();
  showObjects();
}
