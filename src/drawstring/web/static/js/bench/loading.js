// Pictures into the well: what takes long comes small first and whole later.
import { plainName } from "./desk.js";
import { startLevel } from "./first.js";
import { loadTiles } from "./tiles.js";

// How long a hand that moves something waits for its picture.
const HAND_MS = 120;
let asked = 0, pace = 0;

export async function load(desk, only = [0, 1], hasMovedOn = () => false) {
  const mine = ++asked, at = desk.frame, { pictures, well, names } = desk;
  const slots = desk.slots(only), isTrying = Object.keys(desk.tried).length > 0;
  const lay = async (levels, isQuick = false) => {
    const laid = await Promise.all(slots.map((slot, i) => pictures.get(at, names[slot], levels[i], desk.isResult(names[slot]) ? desk.tried : {}, isQuick && levels[i] !== whole[i])));
    if (mine === asked) slots.forEach((slot, i) => well.lay(slot, laid[i]));
  };
  const whole = slots.map(() => desk.level);
  const small = slots.map((slot, i) => startLevel(desk, whole[i], { isSlow: desk.isSlow(names[slot]), isFirst: !well.pictures[slot] }));
  const quick = whole.map((level, i) => (desk.isSlow(names[slots[i]]) ? Math.max(1, level) : level));
  const isKept = slots.every((slot, i) => pictures.has(at, names[slot], whole[i]));
  if (!isKept || isTrying) desk.sayWhileWaiting(isTrying ? "Working …" : `Loading frame ${at}, ${slots.map((slot) => plainName(names[slot])).join(" and ")} …`);
  try {
    // While a hand moves something, small is enough; what takes longer than it waits for comes smaller still first.
    if (isTrying) {
      const timed = async (coarser) => {
        const began = performance.now();
        await lay(quick.map((level) => Math.min(4, level + coarser)));
        pace = (performance.now() - began) * 4 ** coarser;
      };
      const coarser = pace > HAND_MS ? Math.min(2, Math.ceil(Math.log2(pace / HAND_MS) / 2)) : 0;
      if (coarser) await timed(coarser);
      if (!coarser || !hasMovedOn()) await timed(0);
    } else {
      if (!isKept && String(small) !== String(whole)) {
        await lay(small, true);
        // The whole one is not asked for before the small one can be seen: it would come in its place.
        await desk.seen;
        await well.painted();
      }
      if (mine === asked) await lay(whole);
      if (mine === asked) loadTiles(desk);
    }
    if (mine !== asked) return;
    desk.sayDone();
    desk.sayGood();
    desk.cells.forEach((cell) => {
      const frame = Number(cell.dataset.frame);
      cell.classList.toggle("is-loaded", pictures.has(frame, names[0], desk.level) || pictures.has(frame, names[0], desk.level, true));
    });
  } catch (error) {
    if (mine !== asked) return;
    desk.sayDone();
    desk.sayFault(error.message);
  }
}
