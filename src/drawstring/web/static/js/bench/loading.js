// Pictures into the well: what takes long comes small first and whole later.
import { plainName } from "./desk.js";

let asked = 0;

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
    // While a hand moves something, small is enough.
    if (isTrying || (!isKept && isSlow.some(Boolean))) await lay(quick);
    if (mine === asked && !isTrying && (isKept || String(quick) !== String(whole) || !isSlow.some(Boolean))) await lay(whole);
    if (mine !== asked) return;
    desk.sayDone();
    desk.say("");
    desk.cells.forEach((cell) => cell.classList.toggle("is-loaded", pictures.has(Number(cell.dataset.frame), names[0], desk.level)));
  } catch (error) {
    if (mine !== asked) return;
    desk.sayDone();
    desk.say(error.message);
  }
}
