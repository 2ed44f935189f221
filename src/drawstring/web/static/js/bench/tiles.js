// Large pictures looked at closely: only the parts that can be seen are fetched at full size, tile by tile.
const WIDE = 1024, HIGH = 512, AT_ONCE = 3;

// The tiles, on a grid that belongs to the picture, that can be seen now; those in the middle first.
export function tilesInSight({ well }) {
  const { left, top, right, bottom } = well.seen();
  if (left === undefined) return [];
  const [x, y, w, h] = well.pictures[0].window, tiles = [];
  for (let row = Math.floor((Math.max(top, y) - y) / HIGH); y + row * HIGH < Math.min(bottom, y + h); row += 1) {
    for (let col = Math.floor((Math.max(left, x) - x) / WIDE); x + col * WIDE < Math.min(right, x + w); col += 1) {
      const [a, b] = [x + col * WIDE, y + row * HIGH];
      tiles.push([a, b, Math.min(a + WIDE, x + w) - 1, Math.min(b + HIGH, y + h) - 1]);
    }
  }
  const middle = [(left + right) / 2, (top + bottom) / 2];
  const away = ([a, b, c, d]) => Math.hypot((a + c) / 2 - middle[0], (b + d) / 2 - middle[1]);
  return tiles.sort((one, other) => away(one) - away(other));
}

let asked = 0;

export async function loadTiles(desk) {
  const mine = ++asked, { well, pictures, names, frame } = desk;
  if (!desk.takesTiles || !well.takesTiles || Object.keys(desk.tried).length) { well.dropTiles(); return; }
  const slots = desk.slots(), bases = slots.map((slot) => well.pictures[slot]);
  if (bases.some((base, i) => !base || base.frame !== frame || base.name !== names[slots[i]])) return;
  const waiting = tilesInSight(desk);
  well.keepTiles(waiting.map(String));
  const work = async () => {
    for (let tile = waiting.shift(); tile && mine === asked; tile = waiting.shift()) {
      if (well.hasTile(String(tile))) continue;
      try {
        const pair = await Promise.all(slots.map((slot) => pictures.get(frame, names[slot], 0, {}, false, tile)));
        // Distances are shown between the ends of the whole picture, not of its part.
        pair.forEach((picture, i) => { picture.ends = bases[i].ends; });
        if (mine === asked) well.layTile(String(tile), pair);
      } catch (error) {
        if (mine === asked) desk.sayFault(error.message);
        return;
      }
    }
  };
  await Promise.all(Array.from({ length: AT_ONCE }, work));
}
