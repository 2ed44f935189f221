// Pictures into the well: what takes long comes small first and whole later.
import { plainName } from "./desk.js";

// How many bytes the first picture may come to; where the whole one is more, a smaller one comes before it.
const FIRST_BYTES = 1.4e6;

let asked = 0;

// Something to look at while the whole picture is on its way: only where nothing is there yet.
async function first(desk, slots, whole, isCurrent) {
  const { well, pictures, names, frame } = desk, [slot] = slots;
  if (well.pictures[slot] || pictures.has(frame, names[slot], whole) || desk.isSlow(names[slot])) return;
  let level = whole;
  while (level < 4 && (desk.width * desk.height * 8) / 4 ** level > FIRST_BYTES) level += 1;
  if (level === whole) return;
  const small = await pictures.get(frame, names[slot], level, {}, true);
  if (isCurrent()) well.lay(slot, small);
}

export async function load(desk, only = [0, 1]) {
  const mine = ++asked, at = desk.frame, { pictures, well, names } = desk;
  const slots = desk.slots(only), isTrying = Object.keys(desk.tried).length > 0;
  const lay = async (levels) => {
    const laid = await Promise.all(slots.map((slot, i) => pictures.get(at, names[slot], levels[i], desk.isResult(names[slot]) ? desk.tried : {})));
    if (mine === asked) slots.forEach((slot, i) => well.lay(slot, laid[i]));
  };
  const whole = slots.map(() => desk.level), isSlow = slots.map((slot) => desk.isSlow(names[slot]));
  const quick = whole.map((level, i) => (isSlow[i] ? Math.max(1, level) : level));
  const isKept = slots.every((slot, i) => pictures.has(at, names[slot], whole[i]));
  if (!isKept || isTrying) desk.sayWhileWaiting(isTrying ? "Working …" : `Loading frame ${at}, ${slots.map((slot) => plainName(names[slot])).join(" and ")} …`);
  try {
    await first(desk, slots, whole[0], () => mine === asked);
    // While a hand moves something, small is enough.
    if (isTrying || (!isKept && isSlow.some(Boolean))) await lay(quick);
    if (mine === asked && !isTrying && (isKept || String(quick) !== String(whole) || !isSlow.some(Boolean))) await lay(whole);
    if (mine !== asked) return;
    desk.sayDone();
    desk.say("");
    desk.cells.forEach((cell) => {
      const frame = Number(cell.dataset.frame);
      cell.classList.toggle("is-loaded", pictures.has(frame, names[0], desk.level) || pictures.has(frame, names[0], desk.level, true));
    });
  } catch (error) {
    if (mine !== asked) return;
    desk.sayDone();
    desk.say(error.message);
  }
}
