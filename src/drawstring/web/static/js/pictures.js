// Pictures fetched from the server and kept while there is room; the newest question wins.

const LIMIT_BYTES = 700e6;

export class Pictures {
  constructor(shot) {
    this.shot = shot;
    this.kept = new Map();
    this.flying = new Map();
    this.size = 0;
    this.turn = 0;
  }

  key(frame, name, level, tried = {}, isQuick = false, tile = null) {
    return JSON.stringify([frame, name, level, tried, ...(isQuick ? ["quick"] : []), ...(tile ? [tile] : [])]);
  }

  has(frame, name, level, isQuick = false) { return this.kept.has(this.key(frame, name, level, {}, isQuick)); }

  // Throws an Error whose message is for the person.
  // Quick ones are for looking alone: half floats, where the true values are of no use yet.
  // A tile is a part of one: [left, top, right, bottom].
  async get(frame, name, level, tried = {}, isQuick = false, tile = null) {
    const key = this.key(frame, name, level, tried, isQuick, tile);
    if (this.kept.has(key)) {
      const picture = this.kept.get(key);
      this.kept.delete(key);
      this.kept.set(key, picture);
      return picture;
    }
    // Who asks for what is on its way waits for that.
    const way = `${this.turn} ${key}`;
    if (!this.flying.has(way)) this.flying.set(way, this.#fetch(key, frame, name, level, tried, isQuick, tile).finally(() => this.flying.delete(way)));
    return this.flying.get(way);
  }

  async #fetch(key, frame, name, level, tried, isQuick, tile) {
    const query = new URLSearchParams({ level, ...(isQuick ? { as: "half" } : {}), ...(tile ? { tile: String(tile) } : {}), ...tried }), { turn } = this;
    const answer = await fetch(`/shots/${this.shot}/frames/${frame}/pixels/${name}?${query}`, { headers: { Accept: "application/json" } });
    if (!answer.ok) throw new Error(await words(answer));
    const [width, height, channels] = answer.headers.get("X-Size").split(" ").map(Number);
    const box = (header) => { const [a, b, c, d] = answer.headers.get(header).split(" ").map(Number); return [a, b, c - a + 1, d - b + 1]; };
    const type = answer.headers.get("X-Type"), buffer = await answer.arrayBuffer();
    const picture = {
      key, name, frame, width, height, channels, type,
      kind: answer.headers.get("X-Kind"), ends: answer.headers.get("X-Ends").split(" ").map(Number),
      window: box("X-Window"), display: box("X-Display"),
      data: type === "half" ? new Uint16Array(buffer) : new Float32Array(buffer), bytes: buffer.byteLength,
    };
    // What was asked for before a change may arrive after it: it shows how things were, and is not kept.
    if (Object.keys(tried).length === 0 && turn === this.turn) this.#keep(key, picture);
    return picture;
  }

  #keep(key, picture) {
    this.kept.set(key, picture);
    this.size += picture.bytes;
    for (const [oldest, gone] of this.kept) {
      if (this.size <= LIMIT_BYTES) break;
      this.kept.delete(oldest);
      this.size -= gone.bytes;
    }
  }

  // Settings changed: what was computed with the old ones is dropped, what arrived stays.
  forget(isGone) {
    this.turn += 1;
    for (const [key, picture] of this.kept) {
      if (!isGone(picture)) continue;
      this.kept.delete(key);
      this.size -= picture.bytes;
    }
  }
}

export async function words(answer) {
  try {
    const { errors } = await answer.json();
    return errors.map((one) => [one.what, one.remedy].filter(Boolean).join(" ")).join(" ");
  } catch {
    return `The server answered ${answer.status}.`;
  }
}

export async function fetchCube(shot, name, managed) {
  const answer = await fetch(`/shots/${shot}/view?${new URLSearchParams({ name, managed })}`);
  if (!answer.ok) throw new Error(await words(answer));
  const [k, max] = answer.headers.get("X-Shaper").split(" ").map(Number);
  const size = Number(answer.headers.get("X-Size")), data = new Uint16Array(await answer.arrayBuffer());
  // A browser may have kept one of an older house, with a fourth channel.
  return { size, k, max, data, channels: data.length / size ** 3 };
}
