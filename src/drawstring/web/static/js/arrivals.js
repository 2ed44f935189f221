// Arrivals: shots stepped through, patterns taken from suggestions, files handed in one by one with true progress.
import { isTyping } from "./page.js";

document.addEventListener("click", (event) => {
  const candidate = event.target.closest(".candidate"), suggestion = event.target.closest("[data-pattern]");
  if (candidate) mark(candidate);
  if (suggestion) {
    const field = document.getElementById("patterns-text");
    field.value = [field.value.trim(), suggestion.dataset.pattern].filter(Boolean).join("\n");
    field.dispatchEvent(new Event("input", { bubbles: true }));
    suggestion.remove();
  }
});

function mark(candidate) {
  document.querySelectorAll(".candidate[aria-current]").forEach((one) => one.removeAttribute("aria-current"));
  candidate.setAttribute("aria-current", "true");
  candidate.scrollIntoView({ block: "nearest" });
  const address = new URL(location);
  address.searchParams.set("chosen", candidate.dataset.key);
  history.replaceState(null, "", address);
}

document.addEventListener("keydown", (event) => {
  if (isTyping(event) || event.ctrlKey || event.metaKey || event.altKey) return;
  const all = [...document.querySelectorAll(".candidate")], at = all.findIndex((one) => one.hasAttribute("aria-current"));
  const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  if (by && all[at + by]) { event.preventDefault(); all[at + by].click(); all[at + by].focus(); }
  else if (event.key.toLowerCase() === "s") document.querySelector("[data-scan]").click();
});

// Handing in, by the open tus protocol: whoever is cut off goes on where it stopped, also after the page was loaded
// anew and the same files are chosen again. One refused file leaves the rest alone.
const PIECE = 16 * 1024 * 1024, AGAIN_MS = [0, 1000, 3000, 5000, 10000];
const inputs = [...document.querySelectorAll("[data-inbox]")], told = document.getElementById("handing-in");
const place = inputs[0]?.dataset;
const token = () => JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];

function words(error) {
  try {
    const said = JSON.parse(error.originalResponse.getBody());
    return said.errors.map((one) => `${one.what} ${one.remedy}`).join(" ");
  } catch {
    return error.originalResponse ? `The server answered ${error.originalResponse.getStatus()}.` : "The server does not answer.";
  }
}

function send(address, { file, path }, onProgress) {
  return new Promise((resolve, reject) => {
    const upload = new tus.Upload(file, {
      endpoint: `${address}/files`,
      chunkSize: PIECE,
      retryDelays: AGAIN_MS,
      headers: { "X-CSRFToken": token(), Accept: "application/json" },
      metadata: { filename: file.name, relativePath: path },
      fingerprint: async () => `hand-in ${place.inbox} ${path} ${file.size} ${file.lastModified}`,
      removeFingerprintOnSuccess: true,
      onProgress: (sent) => onProgress(sent),
      onSuccess: () => resolve(upload.url.replace(/\/files\/[^/]+$/, "")),
      onError: (error) => reject(new Error(words(error))),
    });
    upload.findPreviousUploads().then((before) => {
      if (before.length) upload.resumeFromPreviousUpload(before[0]);
      upload.start();
    });
  });
}

async function scan(address) {
  const answer = await fetch(`${address}/scan`, { method: "POST", headers: { "X-CSRFToken": token(), Accept: "application/json" } });
  return (await answer.json()).scan;
}

async function handIn(several) {
  if (!several.length) return;
  const batch = new Date().toISOString().replace(/[-:]/g, "").replace("T", "-").slice(0, 15);
  const address = place.inbox.replace("BATCH", batch);
  const total = several.reduce((sum, { file }) => sum + file.size, 0) || 1, refused = [], batches = new Set();
  let before = 0, taken = 0;
  told.hidden = false;
  const bar = told.querySelector("progress"), says = told.querySelector("span");
  for (const [i, one] of several.entries()) {
    says.textContent = `${i + 1} of ${several.length}: ${one.path}`;
    try {
      batches.add(await send(address, one, (sent) => { bar.value = (before + sent) / total; }));
      taken += 1;
    } catch (error) {
      refused.push(error.message);
    }
    before += one.file.size;
    bar.value = before / total;
  }
  for (const input of inputs) input.value = "";
  if (!taken) { says.textContent = refused.slice(0, 5).join(" "); return; }
  let last = 0;
  for (const each of batches) last = await scan(each);
  const target = `${place.arrivals}/${last}`;
  if (refused.length) {
    const link = Object.assign(document.createElement("a"), { href: target, textContent: `see the ${taken} that were taken` });
    const more = refused.length > 5 ? ` ${refused.length - 5} more were refused. ` : " ";
    says.replaceChildren(refused.slice(0, 5).join(" ") + more, link);
  } else location.href = target;
}

// A dropped folder is gone through with all below it; hidden files are a system's own.
async function filesIn(entry, above = "") {
  if (entry.name.startsWith(".")) return [];
  const path = above + entry.name;
  if (entry.isFile) return [{ file: await new Promise((resolve, reject) => entry.file(resolve, reject)), path }];
  const reader = entry.createReader(), inside = [];
  for (;;) {  // a reader gives a hundred entries at a time
    const some = await new Promise((resolve, reject) => reader.readEntries(resolve, reject));
    if (!some.length) break;
    inside.push(...some);
  }
  return (await Promise.all(inside.map((one) => filesIn(one, `${path}/`)))).flat();
}

for (const input of inputs) {
  input.addEventListener("change", () => handIn([...input.files].map((file) => ({ file, path: file.webkitRelativePath || file.name }))));
}
document.addEventListener("dragover", (event) => event.preventDefault());
document.addEventListener("drop", async (event) => {
  event.preventDefault();
  const entries = [...event.dataTransfer.items].map((one) => one.webkitGetAsEntry?.()).filter(Boolean);
  const plain = [...event.dataTransfer.files].map((file) => ({ file, path: file.name }));
  handIn(entries.length ? (await Promise.all(entries.map((one) => filesIn(one)))).flat() : plain);
});
