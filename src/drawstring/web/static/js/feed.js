// The feed's page: asks for a render, shows each frame as it gets better, changes lights, records.
const feed = document.getElementById("feed"), by = (id) => document.getElementById(id);
const base = `${feed.dataset.base}${feed.dataset.name}`;
const token = () => JSON.parse(document.body.getAttribute("hx-headers"));

let render = null, frames = [], frame = 0, pass = "beauty", shown = "", lostSince = 0, playing = null, asked = null, again = null, aspect = 16 / 9;

async function tell(path, values) {
  const options = values ? { method: "POST", headers: token(), body: values } : {};
  const response = await fetch(path, options);
  if (!response.ok) throw new Error(`the page's server answers with ${response.status}`);
  return response.json();
}

const say = (text) => { by("feed-says").textContent = text; };
function trouble(said) { const note = by("feed-trouble"); if (note) note.textContent = said ? `${said.what} ${said.remedy ?? ""}` : ""; }

// Only what is looked at is asked for again; a lost renderer is asked until it answers.
async function poll() {
  const mine = render;
  if (!mine) return;
  try {
    const status = await tell(`${base}/renders/${mine}`);
    if (mine !== render) return;
    if (status.trouble) {
      if (status.trouble.kind === "gone" && asked) { say("The renderer was started anew: asking again."); await begin(asked); return; }
      lostSince ||= Date.now();
      say(`${status.trouble.what} Asking again since ${Math.round((Date.now() - lostSince) / 1000)} s.`);
    } else {
      if (lostSince) { lostSince = 0; trouble(null); }
      const part = frames.length > 1 ? `, ${status.frames_done} of ${status.frames_total} frames` : "";
      say({ waiting: "Waiting", rendering: "Rendering", done: "Done", cancelled: "Stopped", failed: `Failed: ${status.fault}` }[status.state] + part);
      by("feed-progress").hidden = status.state === "done";
      by("feed-progress").value = status.frames_done / status.frames_total;
      by("feed-cancel").disabled = !["waiting", "rendering"].includes(status.state);
      if (`${status.revision}` !== feed.dataset.revision) { feed.dataset.revision = status.revision; await look(); }
      feed.dataset.state = status.state;
    }
  } catch (error) { say(`The page's server does not answer: ${error.message}`); }
  clearTimeout(again);
  if (mine === render) again = setTimeout(poll, lostSince ? 1000 : feed.dataset.state === "done" ? 800 : 60);
}

async function look() {
  const mine = render, at = frames[frame];
  const told = await tell(`${base}/renders/${mine}/frames/${at}`);
  if (mine !== render || at !== frames[frame]) return;
  by("feed-frame").textContent = frames.length ? String(at) : "";
  if (told.trouble) { say(told.trouble.what); return; }
  if (!told.revision) { by("feed-note").hidden = false; by("feed-note").textContent = `frame ${at} is not there yet`; return; }
  by("feed-note").hidden = true;
  if (!told.passes.includes(pass)) pass = told.passes[0];
  by("feed-samples").textContent = `${told.samples} samples a pixel${told.baked ? ", baked for a display: not to be graded" : ""}`;
  const key = `${mine} ${at} ${told.revision} ${pass} ${by("feed-stops").value}`;
  if (key === shown) return;
  shown = key;
  aspect = told.width / told.height;
  await put(by("feed-image"), address(at, pass, told.revision, 1600));
  feed.dataset.shown = `${at} ${told.samples} ${pass}`;
  compare();
  list(told, at);
}

const address = (at, name, revision, wide) => `${base}/renders/${render}/frames/${at}/${encodeURIComponent(name)}.png?${new URLSearchParams({ of: revision, wide, stops: Number(by("feed-stops").value.replace(",", ".")) || 0 })}`;
function put(image, url) {
  return new Promise((done) => { image.onload = image.onerror = () => done(); image.src = url; image.hidden = false; });
}

function list(told, at) {
  const place = by("feed-passes");
  place.replaceChildren(...told.passes.map((name) => {
    const item = document.createElement("li"), press = document.createElement("button"), image = document.createElement("img");
    press.type = "button";
    press.className = "plain";
    press.dataset.pass = name;
    press.setAttribute("aria-pressed", String(name === pass));
    image.alt = "";
    image.width = 96;
    image.height = Math.round(96 * told.height / told.width);
    image.loading = "lazy";
    image.src = address(at, name, told.revision, 96);
    press.append(image, name);
    item.append(press);
    return item;
  }));
}

// What arrived of the same shot and frame is laid over the left half.
function compare() {
  const image = by("feed-arrived"), form = by("feed-form"), wanted = by("feed-compare").checked;
  const id = form ? JSON.parse(form.dataset.arrived)[by("feed-shot").value] : null;
  image.hidden = !(wanted && id && render);
  if (!wanted) return;
  if (!id) { say("Nothing has arrived of this shot yet."); by("feed-compare").checked = false; return; }
  image.onerror = () => { image.hidden = true; say(`Frame ${frames[frame]} has not arrived.`); };
  const url = `/shots/${id}/frames/${frames[frame]}/thumb/beauty?wide=1024`;
  if (image.getAttribute("src") !== url) image.src = url;
}

async function begin(values) {
  const told = await tell(`${base}/renders`, values);
  trouble(told.trouble);
  if (told.trouble) { if (told.trouble.kind === "lost") { say(told.trouble.what); setTimeout(() => { if (asked === values) begin(values); }, 1500); } return; }
  const [first, last] = String(values.get("feed.frames")).split(/[-–]/).map((text) => Number(text.trim()));
  frames = Array.from({ length: (last || first) - first + 1 }, (_, i) => first + i);
  frame = Math.min(frame, frames.length - 1);
  by("feed-scrub").max = frames.length - 1;
  by("feed-scrub").disabled = frames.length < 2;
  by("feed-scrub").value = frame;
  by("feed-frame").textContent = String(frames[frame]);
  render = told.id;
  shown = "";
  feed.dataset.revision = "";
  lostSince = 0;
  poll();
}

document.addEventListener("submit", (event) => {
  if (event.target.id !== "feed-form") return;
  event.preventDefault();
  if (render) tell(`${base}/renders/${render}/cancel`, new FormData());
  frame = 0;
  box.hidden = true;
  asked = new FormData(event.target);
  begin(asked).catch((error) => say(error.message));
});

document.addEventListener("click", (event) => {
  const chosen = event.target.closest("[data-pass]");
  if (chosen) { pass = chosen.dataset.pass; look(); }
  if (event.target.closest("[data-again]")) htmx.trigger("#offer", "feed-again");
  if (event.target.id === "feed-cancel" && render) tell(`${base}/renders/${render}/cancel`, new FormData());
  if (event.target.id === "feed-record") record().catch((error) => trouble({ what: `Not recorded: ${error.message}.` }));
  if (event.target.id === "feed-play") play(playing === null);
});

// A box that is dragged on the picture is the region of the next render.
let corner = null;
const box = by("feed-box");
function shareAt(event) {
  const image = by("feed-image"), place = image.getBoundingClientRect(), wide = Math.min(place.width, place.height * aspect), high = wide / aspect;
  const left = place.left + (place.width - wide) / 2, top = place.top + (place.height - high) / 2;
  const within = (v) => Math.min(1, Math.max(0, v));
  return { x: within((event.clientX - left) / wide), y: within((event.clientY - top) / high), left, top, wide, high };
}
by("feed-picture").addEventListener("pointerdown", (event) => {
  if (by("feed-image").hidden || !by("feed-region")) return;
  event.preventDefault();
  event.currentTarget.setPointerCapture(event.pointerId);
  corner = shareAt(event);
});
by("feed-picture").addEventListener("pointermove", (event) => {
  if (!corner) return;
  const now = shareAt(event), outer = event.currentTarget.getBoundingClientRect();
  Object.assign(box.style, { left: `${now.left - outer.left + Math.min(corner.x, now.x) * now.wide}px`, top: `${now.top - outer.top + Math.min(corner.y, now.y) * now.high}px`, width: `${Math.abs(now.x - corner.x) * now.wide}px`, height: `${Math.abs(now.y - corner.y) * now.high}px` });
  box.hidden = false;
});
by("feed-picture").addEventListener("pointerup", (event) => {
  if (!corner) return;
  const now = shareAt(event), sides = [Math.min(corner.x, now.x), Math.min(corner.y, now.y), Math.max(corner.x, now.x), Math.max(corner.y, now.y)];
  const isBox = sides[2] - sides[0] > 0.02 && sides[3] - sides[1] > 0.02;
  // A box on what is a region already is a part of that.
  const [l, t, r, b] = (asked?.get("feed.region") || "0 0 1 1").split(" ").map(Number);
  const whole = [l + sides[0] * (r - l), t + sides[1] * (b - t), l + sides[2] * (r - l), t + sides[3] * (b - t)];
  by("feed-region").value = isBox ? whole.map((v) => v.toFixed(3)).join(" ") : "";
  box.hidden = !isBox;
  corner = null;
});

function play(on) {
  clearInterval(playing);
  playing = on && frames.length > 1 ? setInterval(() => step(frame + 1 < frames.length ? 1 : -frame), 1000 / 24) : null;
  by("feed-play").setAttribute("aria-pressed", String(playing !== null));
}
function step(many) {
  frame = Math.max(0, Math.min(frames.length - 1, frame + many));
  by("feed-scrub").value = frame;
  look();
}
by("feed-scrub").addEventListener("input", (event) => { frame = Number(event.target.value); look(); });
by("feed-stops").addEventListener("change", () => look());
by("feed-compare").addEventListener("change", compare);
document.addEventListener("keydown", (event) => {
  if (event.target.closest("input:not([type=range]):not([type=checkbox]), select, textarea, dialog")) return;
  if (event.key === "ArrowRight" && event.target.type !== "range") step(1);
  else if (event.key === "ArrowLeft" && event.target.type !== "range") step(-1);
  else if (event.key === " " && event.target.localName !== "button") { event.preventDefault(); play(playing === null); }
});

// A light is changed in the render that is shown; one change after the other, the newest last.
let turn = Promise.resolve();
function relight(name, said) {
  const values = new FormData();
  values.set("light", name);
  for (const [key, value] of Object.entries(said)) values.set(key, value);
  if (!render) return;
  turn = turn.then(async () => {
    const told = await tell(`${base}/renders/${render}/lights`, values);
    trouble(told.trouble);
    feed.dataset.state = "waiting";
    poll();
    if (asked && said.strength !== undefined) asked.set(`light.${name}`, said.strength);
  }).catch((error) => say(error.message));
}
const linear = (byte) => { const v = byte / 255; return v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4; };
document.addEventListener("input", ({ target }) => {
  const { light } = target.dataset ?? {};
  if (light) document.querySelector(`[data-light-typed="${CSS.escape(light)}"]`).value = target.value;
});
document.addEventListener("change", ({ target }) => {
  const { light, lightTyped, lightColour } = target.dataset ?? {};
  if (target.id === "feed-shot") htmx.ajax("GET", `${target.dataset.offer}?${new URLSearchParams({ shot: target.value })}`, { target: "#offer", swap: "innerHTML" });
  if (light) relight(light, { strength: target.value });
  if (lightTyped) { document.querySelector(`[data-light="${CSS.escape(lightTyped)}"]`).value = target.value; relight(lightTyped, { strength: target.value }); }
  if (lightColour) relight(lightColour, { colour: [1, 3, 5].map((at) => linear(parseInt(target.value.slice(at, at + 2), 16)).toFixed(5)).join(" ") });
});

async function record() {
  const told = await tell(`${base}/record`, new FormData(by("feed-form")));
  trouble(told.trouble);
  if (!told.recording) return;
  const note = by("feed-recording"), path = `${feed.dataset.base}recordings/${told.recording}`;
  for (;;) {
    const said = await tell(path);
    note.textContent = said.fault ? `Not recorded: ${said.fault}` : `Recording: ${said.done} of ${said.total} frames`;
    if (said.state === "done") {
      const link = document.createElement("a");
      link.href = said.scan;
      link.textContent = `${said.total} frames recorded: look at them in Arrivals`;
      note.replaceChildren(link);
    }
    if (!["waiting", "recording"].includes(said.state)) return;
    await new Promise((done) => { setTimeout(done, 500); });
  }
}
