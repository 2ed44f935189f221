// The well: one or two pictures drawn by WebGL2 from the values that Python computed. It only shows.
import { AGAIN, FRAGMENT, PLAIN, VERTEX } from "./shaders.js";

const KINDS = { light: 0, values: 1, direction: 2, distance: 3, signed: 4 };
const MODES = { one: 0, wipe: 1, beside: 2, difference: 3, crossed: 4, flicker: 5, anaglyph: 6, lines: 7 };
const PAIRED = ["beside", "crossed"];
const FLICKER_MS = 350;
// Pictures that were shown keep their textures while there is room: the second time round nothing is sent.
const TEXTURE_BYTES = 450e6;
// So do drawings of the well, while it plays: sending light through a view is dear where software draws.
const DRAWN_BYTES = 250e6;

// Where a viewer who is turned looks, into the picture's own directions, column by column (see core.eyes.sphere).
function turned({ yaw, pitch }) {
  const a = (yaw * Math.PI) / 180, b = (pitch * Math.PI) / 180;
  return [Math.cos(a), 0, -Math.sin(a), Math.sin(a) * Math.sin(b), Math.cos(b), Math.cos(a) * Math.sin(b), Math.sin(a) * Math.cos(b), -Math.sin(b), Math.cos(a) * Math.cos(b)];
}
const CHANNELS = { all: 0, R: 1, G: 2, B: 3, A: 4 };

let serials = 0;

export function halfToNumber(bits) {
  const sign = bits & 0x8000 ? -1 : 1, exponent = (bits >> 10) & 31, fraction = bits & 1023;
  if (exponent === 0) return sign * fraction * 2 ** -24;
  if (exponent === 31) return fraction ? NaN : sign * Infinity;
  return sign * (1 + fraction / 1024) * 2 ** (exponent - 15);
}

export class Well {
  constructor(element) {
    this.element = element;
    this.canvas = element.querySelector("canvas");
    this.gl = this.canvas.getContext("webgl2", { antialias: false, alpha: false });
    if (!this.gl) throw new Error("WebGL2 is not to be had in this browser.");
    // Nothing is there yet: the grey that surrounds pictures, never a black that could be one.
    const [red, green, blue] = getComputedStyle(element).backgroundColor.match(/[\d.]+/g).map((level) => Number(level) / 255);
    this.gl.clearColor(red, green, blue, 1);
    this.gl.clear(this.gl.COLOR_BUFFER_BIT);
    this.pictures = [null, null];
    this.textures = new Map();
    this.drawn = { state: "", kept: new Map() };
    this.tiles = new Map();
    this.mode = "one";
    this.channel = "all";
    this.stops = 0;
    this.share = 0.5;
    this.scale = null;
    this.offset = [0, 0];
    this.round = null;
    this.anaglyph = { left: [1, 0, 0, 0, 0, 0, 0, 0, 0], right: [0, 0, 0, 0, 1, 0, 0, 0, 1], linear: false };
    this.#prepare();
    new ResizeObserver(() => this.#resize()).observe(element);
    this.#resize();
  }

  #prepare() {
    const gl = this.gl;
    gl.bindBuffer(gl.ARRAY_BUFFER, gl.createBuffer());
    gl.bufferData(gl.ARRAY_BUFFER, new Float32Array([-1, -1, 3, -1, -1, 3]), gl.STATIC_DRAW);
    gl.enableVertexAttribArray(0);
    gl.vertexAttribPointer(0, 2, gl.FLOAT, false, 0, 0);
    // Rows follow each other without a gap: of half floats in one channel some end within four bytes.
    gl.pixelStorei(gl.UNPACK_ALIGNMENT, 1);
    this.programs = new Map();
  }

  #program(fragment) {
    const gl = this.gl, program = gl.createProgram();
    for (const [kind, text] of [[gl.VERTEX_SHADER, VERTEX], [gl.FRAGMENT_SHADER, fragment]]) {
      const shader = gl.createShader(kind);
      gl.shaderSource(shader, text);
      gl.compileShader(shader);
      if (!gl.getShaderParameter(shader, gl.COMPILE_STATUS)) throw new Error(gl.getShaderInfoLog(shader));
      gl.attachShader(program, shader);
    }
    gl.bindAttribLocation(program, 0, "corner");
    gl.linkProgram(program);
    return { program, places: new Map() };
  }

  // Programs are made when they are first needed: the one that compares takes longer than a picture does to come.
  #use(fragment) {
    const { gl } = this, isNew = !this.programs.has(fragment);
    if (isNew) this.programs.set(fragment, this.#program(fragment));
    const program = this.programs.get(fragment);
    gl.useProgram(program.program);
    this.at = (name) => {
      if (!program.places.has(name)) program.places.set(name, this.gl.getUniformLocation(program.program, name));
      return program.places.get(name);
    };
    if (isNew) ["pictureA", "pictureB", "cube", "distances"].forEach((name, unit) => gl.uniform1i(this.at(name), unit));
  }

  // One flat picture of light, with nothing marked in it, needs no more than the plain program.
  #isPlain(mode) {
    return mode === "one" && this.channel === "all" && !this.round && !this.band && this.pictures[0].kind === "light";
  }

  // A view's cube: {size, k, max, data: Uint16Array of half floats, channels}.
  setView(cube) {
    const gl = this.gl, texture = gl.createTexture();
    gl.activeTexture(gl.TEXTURE2);
    gl.deleteTexture(this.cube);
    gl.bindTexture(gl.TEXTURE_3D, texture);
    const [inside, format] = cube.channels === 4 ? [gl.RGBA16F, gl.RGBA] : [gl.RGB16F, gl.RGB];
    gl.texImage3D(gl.TEXTURE_3D, 0, inside, cube.size, cube.size, cube.size, 0, format, gl.HALF_FLOAT, cube.data);
    for (const side of [gl.TEXTURE_WRAP_S, gl.TEXTURE_WRAP_T, gl.TEXTURE_WRAP_R]) gl.texParameteri(gl.TEXTURE_3D, side, gl.CLAMP_TO_EDGE);
    gl.texParameteri(gl.TEXTURE_3D, gl.TEXTURE_MIN_FILTER, gl.LINEAR);
    gl.texParameteri(gl.TEXTURE_3D, gl.TEXTURE_MAG_FILTER, gl.LINEAR);
    this.shaper = [cube.k, Math.log2(1 + cube.k * cube.max), cube.size];
    this.cube = texture;
    this.views = (this.views ?? 0) + 1;
    this.draw();
  }

  // Lay a picture into slot 0 (A) or 1 (B).
  lay(slot, picture) {
    const before = this.pictures[slot], size = String(this.display);
    this.pictures[slot] = picture;
    if (before !== picture) this.tiles.clear();
    if (picture) this.ready(picture);
    // A picture of another size (an eye out of a packed one) is fitted anew where the last one was.
    if (picture && (this.scale === null || (this.fitted && String(this.display) !== size))) this.fit();
    this.draw();
    this.element.dispatchEvent(new Event("well-laid"));
  }

  // Send a picture to the card ahead of its turn; what was shown longest ago makes room.
  ready(picture) {
    const texture = this.textures.get(picture) ?? this.#texture(picture);
    this.textures.delete(picture);
    this.textures.set(picture, texture);
    let size = 0;
    for (const each of this.textures.keys()) size += each.bytes;
    for (const [oldest, gone] of this.textures) {
      if (size <= TEXTURE_BYTES) break;
      if (this.pictures.includes(oldest) || oldest === picture) continue;
      this.gl.deleteTexture(gone);
      this.textures.delete(oldest);
      size -= oldest.bytes;
    }
  }

  #texture(picture) {
    const gl = this.gl, half = picture.type === "half", one = picture.channels === 1;
    const inner = one ? (half ? gl.R16F : gl.R32F) : half ? gl.RGBA16F : gl.RGBA32F;
    const texture = gl.createTexture();
    gl.activeTexture(gl.TEXTURE0);
    gl.bindTexture(gl.TEXTURE_2D, texture);
    gl.texImage2D(gl.TEXTURE_2D, 0, inner, picture.width, picture.height, 0, one ? gl.RED : gl.RGBA, half ? gl.HALF_FLOAT : gl.FLOAT, picture.data);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, gl.CLAMP_TO_EDGE);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, gl.CLAMP_TO_EDGE);
    // Only light may be blended; a mean of two distances or names is neither.
    const smooth = picture.kind === "light" && half;
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, smooth ? gl.LINEAR : gl.NEAREST);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.NEAREST);
    return texture;
  }

  // Mark the pixels that lie within a band of distances; null marks none.
  mark(band, distances) {
    this.band = band;
    if (distances && distances !== this.distances) {
      const gl = this.gl;
      if (this.distanceTexture) gl.deleteTexture(this.distanceTexture);
      this.distanceTexture = this.#texture(distances);
      this.distances = distances;
    }
    this.draw();
  }

  get ratio() { return window.devicePixelRatio || 1; }

  get display() { return this.pictures[0]?.display ?? this.pictures[1]?.display ?? [0, 0, 1, 1]; }

  // The room a picture has: the whole well, or half of it when two lie beside each other.
  get room() { return [PAIRED.includes(this.mode) ? Math.floor(this.canvas.width / 2) : this.canvas.width, this.canvas.height]; }

  fit() {
    const [width, height] = this.room, [, , w, h] = this.display;
    this.fitted = true;
    this.#place(Math.min(width / w, height / h));
    this.offset = [Math.round((width - w * this.scale) / 2), Math.round((height - h * this.scale) / 2)];
    this.draw();
  }

  // Zoom by a factor around a point of the page.
  zoom(factor, clientX, clientY) {
    const [x, y] = this.#canvasPoint(clientX, clientY), before = this.scale;
    this.fitted = false;
    this.#place(Math.min(64, Math.max(0.02, this.scale * factor)));
    this.offset = [x - ((x - this.offset[0]) * this.scale) / before, y - ((y - this.offset[1]) * this.scale) / before];
    this.draw();
  }

  oneToOne() {
    const [width, height] = this.room;
    const middle = [(width / 2 - this.offset[0]) / this.scale, (height / 2 - this.offset[1]) / this.scale];
    this.fitted = false;
    this.#place(this.ratio);
    this.offset = [Math.round(width / 2 - middle[0] * this.scale), Math.round(height / 2 - middle[1] * this.scale)];
    this.draw();
  }

  move(dx, dy) {
    this.fitted = false;
    this.offset = [this.offset[0] + dx * this.ratio, this.offset[1] + dy * this.ratio];
    this.element.dispatchEvent(new Event("well-moved"));
    this.draw();
  }

  #place(scale) {
    this.scale = scale;
    this.element.dispatchEvent(new CustomEvent("well-zoomed", { detail: scale / this.ratio }));
  }

  set(state) {
    const beside = PAIRED.includes(this.mode);
    Object.assign(this, state);
    if (PAIRED.includes(this.mode) !== beside && this.scale !== null) this.fit();
    clearInterval(this.flickering);
    this.phase = 0;
    if (this.mode === "flicker") this.flickering = setInterval(() => { this.phase = 1 - this.phase; this.draw(); }, FLICKER_MS);
    this.draw();
  }

  // Two 3 x 3 matrices, column by column, and whether they work on linear light.
  setAnaglyph(anaglyph) {
    this.anaglyph = anaglyph;
    this.draw();
  }

  // Look about in an all-round picture: {yaw, pitch, field} in degrees; null lays it flat again.
  turn(looks) {
    this.round = looks;
    if (looks) this.looks = looks;
    this.draw();
  }

  #canvasPoint(clientX, clientY) {
    const box = this.canvas.getBoundingClientRect();
    return [(clientX - box.left) * this.ratio, (clientY - box.top) * this.ratio];
  }

  // The picture pixel under a point of the page, in the display window's coordinates; null outside.
  // The part of the display window that can be seen; all of a picture that is looked about in.
  seen() {
    if (this.scale === null || this.round) return {};
    const { canvas, scale, offset } = this, wide = PAIRED.includes(this.mode) ? canvas.width / 2 : canvas.width;
    const [left, top] = [this.display[0] - offset[0] / scale, this.display[1] - offset[1] / scale];
    return { left, top, right: left + wide / scale, bottom: top + canvas.height / scale };
  }

  pixelAt(clientX, clientY) {
    if (this.scale === null) return null;
    let [x, y] = this.#canvasPoint(clientX, clientY);
    const half = Math.floor(this.canvas.width / 2);
    const isRightHalf = PAIRED.includes(this.mode) && x >= half;
    const second = this.mode === "wipe" ? x >= this.share * this.canvas.width : isRightHalf !== (this.mode === "crossed");
    if (isRightHalf) x -= half;
    const [left, top] = this.display;
    const at = this.round ? this.#roundPixel(x, y) : [Math.floor((x - this.offset[0]) / this.scale) + left, Math.floor((y - this.offset[1]) / this.scale) + top];
    const picture = this.pictures[second ? 1 : 0] ?? this.pictures[0];
    if (!picture) return null;
    const [x0, y0, w, h] = picture.window;
    return at[0] >= x0 && at[1] >= y0 && at[0] < x0 + w && at[1] < y0 + h ? { x: at[0], y: at[1], slot: second ? 1 : 0 } : null;
  }

  #roundPixel(x, y) {
    const [width, height] = this.room, [left, top, w, h] = this.display, m = turned(this.round);
    const half = Math.tan((this.round.field * Math.PI) / 360);
    const d = [((2 * x) / width - 1) * half, (((2 * y) / height - 1) * half * height) / width, 1];
    const [sx, sy, sz] = [0, 1, 2].map((i) => (m[i] * d[0] + m[3 + i] * d[1] + m[6 + i] * d[2]) / Math.hypot(...d));
    return [Math.floor((Math.atan2(sx, sz) / (2 * Math.PI) + 0.5) * w) + left, Math.floor((0.5 - Math.asin(-sy) / Math.PI) * h) + top];
  }

  // A picture's own values at a pixel, without asking the server; a proxy gives its nearest.
  valuesAt(slot, { x, y }) {
    const tile = [...this.tiles.values()].find(([{ window: [a, b, w, h] }]) => x >= a && y >= b && x < a + w && y < b + h);
    const picture = tile?.[slot] ?? this.pictures[slot];
    if (!picture) return null;
    const [x0, y0, w, h] = picture.window;
    const column = Math.floor(((x - x0) * picture.width) / w), row = Math.floor(((y - y0) * picture.height) / h);
    if (column < 0 || row < 0 || column >= picture.width || row >= picture.height) return null;
    const from = (row * picture.width + column) * picture.channels;
    const values = [...picture.data.subarray(from, from + picture.channels)];
    return picture.type === "half" ? values.map(halfToNumber) : values;
  }

  #resize() {
    const box = this.element.getBoundingClientRect();
    this.canvas.width = Math.max(1, Math.round(box.width * this.ratio));
    this.canvas.height = Math.max(1, Math.round(box.height * this.ratio));
    this.gl.clear(this.gl.COLOR_BUFFER_BIT);
    if (this.fitted) this.fit();
    this.draw();
  }

  #accent() {
    const hex = getComputedStyle(document.documentElement).getPropertyValue("--twine").trim();
    return [1, 3, 5].map((at) => parseInt(hex.slice(at, at + 2), 16) / 255);
  }

  // Where a point of the picture lies on the page's well, in CSS pixels; and back.
  toWell(x, y) {
    const [left, top] = this.display;
    return [((x - left) * this.scale + this.offset[0]) / this.ratio, ((y - top) * this.scale + this.offset[1]) / this.ratio];
  }

  draw() {
    if (this.waiting) return;
    this.waiting = new Promise((done) => { requestAnimationFrame(() => { this.waiting = null; this.#paint(); done(); }); });
  }

  // Resolves when what was laid has been drawn.
  painted() { return this.waiting ?? Promise.resolve(); }

  #paint() {
    const gl = this.gl, { width, height } = this.canvas;
    if (!this.cube || this.scale === null || !this.pictures[0]) {
      gl.clear(gl.COLOR_BUFFER_BIT); // a canvas of a new size is black
      return;
    }
    gl.viewport(0, 0, width, height);
    const mode = this.pictures[1] ? this.mode : "one";
    if (this.#drawAgain(mode)) return;
    const isPlain = this.#isPlain(mode);
    this.#use(isPlain ? PLAIN : FRAGMENT);
    gl.uniform3f(this.at("shaper"), ...this.shaper);
    this.#tellSlots(isPlain ? [this.pictures[0]] : [this.pictures[0], this.pictures[1] ?? this.pictures[0]]);
    gl.activeTexture(gl.TEXTURE2);
    gl.bindTexture(gl.TEXTURE_3D, this.cube);
    gl.uniform2f(this.at("size"), width, height);
    gl.uniform2f(this.at("offset"), ...this.offset);
    gl.uniform1f(this.at("scale"), this.scale);
    gl.uniform4f(this.at("display"), ...this.display);
    gl.uniform1f(this.at("exposure"), 2 ** this.stops);
    const grey = parseInt(getComputedStyle(document.documentElement).getPropertyValue("--surround").trim().slice(1, 3), 16) / 255;
    gl.uniform3f(this.at("surround"), grey, grey, grey);
    if (!isPlain) this.#tellAll(mode);
    gl.drawArrays(gl.TRIANGLES, 0, 3);
    this.#drawTiles(mode);
    this.#keepDrawn();
    this.#tellTests(mode);
  }

  // -- tiles: parts of the pictures at full size, over what is held of the whole -------------------------------

  get takesTiles() { return !this.round && !PAIRED.includes(this.pictures[1] ? this.mode : "one"); }

  hasTile(place) { return this.tiles.has(place); }

  layTile(place, pictures) {
    this.tiles.set(place, pictures);
    pictures.forEach((picture) => this.ready(picture));
    this.draw();
  }

  // Of tiles laid before, only those that can be seen stay.
  keepTiles(places) {
    for (const place of this.tiles.keys()) if (!places.includes(place)) this.tiles.delete(place);
  }

  dropTiles() {
    if (!this.tiles.size) return;
    this.tiles.clear();
    this.draw();
  }

  #drawTiles(mode) {
    if (!this.tiles.size || !this.takesTiles) return;
    const gl = this.gl, { height } = this.canvas, isPlain = this.#isPlain(mode);
    gl.enable(gl.SCISSOR_TEST);
    for (const pair of this.tiles.values()) {
      const [x, y, w, h] = pair[0].window, left = (x - this.display[0]) * this.scale + this.offset[0], top = (y - this.display[1]) * this.scale + this.offset[1];
      const [a, b] = [Math.ceil(left - 0.5), Math.ceil(top - 0.5)], [c, d] = [Math.ceil(left + w * this.scale - 0.5), Math.ceil(top + h * this.scale - 0.5)];
      gl.scissor(a, height - d, Math.max(0, c - a), Math.max(0, d - b));
      this.#tellSlots(isPlain ? [pair[0]] : [pair[0], pair[1] ?? pair[0]]);
      gl.drawArrays(gl.TRIANGLES, 0, 3);
    }
    gl.disable(gl.SCISSOR_TEST);
  }

  #tellSlots(pictures) {
    const gl = this.gl;
    pictures.forEach((picture, slot) => {
      const letter = "AB"[slot];
      this.ready(picture);
      gl.activeTexture(slot ? gl.TEXTURE1 : gl.TEXTURE0);
      gl.bindTexture(gl.TEXTURE_2D, this.textures.get(picture));
      gl.uniform4f(this.at(`slot${letter}.window`), ...picture.window);
      gl.uniform1i(this.at(`slot${letter}.channels`), picture.channels);
      gl.uniform1i(this.at(`slot${letter}.kind`), KINDS[picture.kind]);
      gl.uniform2f(this.at(`slot${letter}.ends`), ...picture.ends);
    });
  }

  // Draw what was drawn of these pictures before, as long as nothing else about it is different.
  #drawAgain(mode) {
    if (!this.keepsDrawn || this.band || this.round) return false;
    const gl = this.gl, { width, height } = this.canvas, { drawn } = this;
    const state = JSON.stringify([mode, this.channel, this.stops, this.share, this.scale, this.offset, width, height, this.views, this.phase, this.anaglyph, document.documentElement.dataset.theme]);
    if (drawn.state !== state) this.#dropDrawn(state);
    const texture = drawn.kept.get(this.#pair());
    if (!texture) return false;
    this.#use(AGAIN);
    gl.activeTexture(gl.TEXTURE0);
    gl.bindTexture(gl.TEXTURE_2D, texture);
    gl.drawArrays(gl.TRIANGLES, 0, 3);
    this.#tellTests(mode);
    return true;
  }

  // By the pictures themselves: one that was computed anew bears the key of the one before.
  #pair() { return this.pictures.map((picture) => (picture ? (picture.serial ??= (serials += 1)) : 0)).join(" "); }

  #keepDrawn() {
    const gl = this.gl, { width, height } = this.canvas, { kept } = this.drawn;
    if (!this.keepsDrawn || this.band || this.round || (kept.size + 1) * width * height * 4 > DRAWN_BYTES) return;
    const texture = gl.createTexture();
    gl.activeTexture(gl.TEXTURE0);
    gl.bindTexture(gl.TEXTURE_2D, texture);
    gl.copyTexImage2D(gl.TEXTURE_2D, 0, gl.RGB, 0, 0, width, height, 0);
    for (const side of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, side, gl.NEAREST);
    kept.set(this.#pair(), texture);
  }

  #dropDrawn(state = "") {
    for (const texture of this.drawn.kept.values()) this.gl.deleteTexture(texture);
    this.drawn = { state, kept: new Map() };
  }

  // While it plays, drawings are kept; nothing of them outlives it but what the same play shows again.
  playing(isOn) {
    this.keepsDrawn = isOn;
    if (!isOn) this.#dropDrawn();
  }

  // What only comparing, marking and looking round take.
  #tellAll(mode) {
    const gl = this.gl, { width } = this.canvas;
    const band = this.band && this.distanceTexture ? this.band : [1, 0];
    gl.activeTexture(gl.TEXTURE3);
    gl.bindTexture(gl.TEXTURE_2D, this.distanceTexture ?? this.textures.get(this.pictures[0]));
    gl.uniform2f(this.at("band"), ...band);
    gl.uniform4f(this.at("bandWindow"), ...(this.distances?.window ?? [0, 0, 1, 1]));
    gl.uniform3f(this.at("accent"), ...this.#accent());
    gl.uniform1i(this.at("channel"), CHANNELS[this.channel]);
    gl.uniform1i(this.at("mode"), MODES[mode]);
    gl.uniform1f(this.at("wipe"), this.share * width);
    gl.uniform1i(this.at("phase"), this.phase ?? 0);
    gl.uniformMatrix3fv(this.at("leftMatrix"), false, this.anaglyph.left);
    gl.uniformMatrix3fv(this.at("rightMatrix"), false, this.anaglyph.right);
    gl.uniform1i(this.at("mixLinear"), this.anaglyph.linear ? 1 : 0);
    gl.uniform1f(this.at("field"), this.round ? Math.tan((this.round.field * Math.PI) / 360) : 0);
    gl.uniform2f(this.at("room"), ...this.room);
    gl.uniformMatrix3fv(this.at("turn"), false, this.round ? turned(this.round) : [1, 0, 0, 0, 1, 0, 0, 0, 1]);
  }

  #tellTests(mode) {
    this.element.dispatchEvent(new Event("well-drawn"));
    // For tests and for nobody else: where the picture lies on the page, and what has been drawn.
    Object.assign(this.canvas.dataset, {
      scale: this.scale / this.ratio, left: this.offset[0] / this.ratio, top: this.offset[1] / this.ratio,
      tiles: this.tiles.size, band: this.band ? this.band.join(" ") : "", a: this.pictures[0].key, b: this.pictures[1]?.key ?? "", mode,
      round: this.round ? `${this.round.yaw} ${this.round.pitch} ${this.round.field}` : "",
    });
  }
}
