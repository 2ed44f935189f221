// The first picture, asked for before anything else of the page begins.

// How many bytes it may come to; where the whole one is more, a smaller one comes before it.
const FIRST_BYTES = 1.4e6;

// Half size is plenty while the picture is shown smaller than that; a quarter, an eighth of very large ones.
export const levelFor = (shrunk) => Math.min(3, Math.max(0, Math.floor(Math.log2(shrunk * 1.055))));

// At which level a picture begins: smaller than whole where that takes long, and where nothing is there to look at.
export function startLevel({ width, height }, whole, { isSlow, isFirst }) {
  let level = isSlow ? Math.max(1, whole) : whole;
  while (isFirst && level < 4 && (width * height * 8) / 4 ** level > FIRST_BYTES) level += 1;
  return level;
}

export function askForFirst({ pictures, wellElement, width, height, frame, name, isSlow }) {
  const wide = Math.round(wellElement.getBoundingClientRect().width * (window.devicePixelRatio || 1)), whole = levelFor(width / wide);
  // Next time the page itself can say which picture it will need, before any script runs (web/bench/first.py).
  document.cookie = `well=${wide}; path=/; samesite=strict; max-age=31536000`;
  const level = startLevel({ width, height }, whole, { isSlow, isFirst: true });
  pictures.get(frame, name, level, {}, level !== whole).catch(() => {});
}
