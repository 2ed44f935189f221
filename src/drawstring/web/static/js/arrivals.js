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

// Handing in: each file is a request of its own, so that progress is true and one refusal leaves the rest alone.
const input = document.getElementById("hand-in"), told = document.getElementById("handing-in");

function send(address, file, onProgress) {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", address);
    request.setRequestHeader("Accept", "application/json");
    request.setRequestHeader("X-CSRFToken", JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"]);
    request.upload.addEventListener("progress", (event) => onProgress(event.loaded));
    request.addEventListener("load", () => {
      const answer = JSON.parse(request.responseText || "{}");
      if (request.status < 300) resolve(answer);
      else reject(new Error(answer.errors?.map((one) => `${one.what} ${one.remedy}`).join(" ") ?? `The server answered ${request.status}.`));
    });
    request.addEventListener("error", () => reject(new Error("The server does not answer.")));
    request.send(file);
  });
}

async function handIn(files) {
  const batch = new Date().toISOString().replace(/[-:]/g, "").replace("T", "-").slice(0, 15);
  const address = input.dataset.inbox.replace("BATCH", batch);
  const total = files.reduce((sum, file) => sum + file.size, 0) || 1, refused = [];
  let before = 0, taken = 0;
  told.hidden = false;
  const bar = told.querySelector("progress"), words = told.querySelector("span");
  for (const [i, file] of files.entries()) {
    words.textContent = `${i + 1} of ${files.length}: ${file.name}`;
    try {
      await send(`${address}?${new URLSearchParams({ name: file.name })}`, file, (loaded) => { bar.value = (before + loaded) / total; });
      taken += 1;
    } catch (error) {
      refused.push(error.message);
    }
    before += file.size;
    bar.value = before / total;
  }
  input.value = "";
  if (!taken) { words.textContent = refused.join(" "); return; }
  const { scan } = await send(`${address}/scan`, null, () => {});
  const target = `${input.dataset.arrivals}/${scan}`;
  if (refused.length) {
    const link = Object.assign(document.createElement("a"), { href: target, textContent: `see the ${taken} that were taken` });
    words.replaceChildren(`${refused.join(" ")} `, link);
  } else location.href = target;
}

input?.addEventListener("change", () => handIn([...input.files]));
document.addEventListener("dragover", (event) => event.preventDefault());
document.addEventListener("drop", (event) => {
  event.preventDefault();
  const files = [...event.dataTransfer.files];
  if (files.length) handIn(files);
});
