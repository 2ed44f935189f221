// What the graphics card does with the true values: choose, expose, send through the view's cube.

export const VERTEX = `#version 300 es
in vec2 corner;
void main() { gl_Position = vec4(corner, 0.0, 1.0); }`;

export const FRAGMENT = `#version 300 es
precision highp float;
precision highp sampler2D;
precision highp sampler3D;

struct Slot { vec4 window; int channels; int kind; vec2 ends; };

uniform sampler2D pictureA, pictureB;
uniform Slot slotA, slotB;
uniform sampler3D cube;
uniform vec3 shaper;      // K, log2(1 + K M), samples along one side
uniform vec2 size;        // of the canvas, in its own pixels
uniform vec2 offset;      // where the display window's corner lies
uniform float scale;      // canvas pixels to one picture pixel
uniform vec4 display;     // x, y, width, height
uniform float exposure;   // a factor
uniform int channel;      // 0 all, 1 to 4 one of them
uniform int mode;         // 0 one, 1 wipe, 2 beside, 3 difference, 4 crossed, 5 flicker, 6 anaglyph, 7 lines
uniform int phase;        // which eye flickers now
uniform mat3 leftMatrix, rightMatrix;
uniform bool mixLinear;
uniform float field;      // tangent of half the angle across when looking round; 0 is flat
uniform vec2 room;        // canvas pixels that one picture has
uniform mat3 turn;        // a direction of the viewer into the picture's own
uniform float wipe;       // canvas x
uniform vec3 surround;
uniform sampler2D distances;
uniform vec2 band;        // distances that are marked; none where the first is the larger
uniform vec4 bandWindow;
uniform vec3 accent;
out vec4 colour;

vec3 throughView(vec3 light) {
  vec3 s = log2(1.0 + shaper.x * max(light, 0.0)) / shaper.y;
  return texture(cube, clamp(s, 0.0, 1.0) * ((shaper.z - 1.0) / shaper.z) + 0.5 / shaper.z).rgb;
}

vec4 read(sampler2D picture, Slot slot, vec2 at, out bool inside) {
  vec2 uv = (at - slot.window.xy) / slot.window.zw;
  inside = all(greaterThanEqual(uv, vec2(0.0))) && all(lessThan(uv, vec2(1.0)));
  vec4 value = texture(picture, uv);
  return slot.channels == 1 ? vec4(value.rrr, 1.0) : value;
}

// All-round pictures are looked at from within: light is blended, and goes on round the back.
vec4 readRound(sampler2D picture, Slot slot, vec2 uv) {
  ivec2 count = textureSize(picture, 0);
  vec2 at = uv * vec2(count) - 0.5;
  if (slot.kind != 0) at = floor(at + 0.5);
  ivec2 first = ivec2(floor(at));
  vec2 share = at - vec2(first);
  vec4 rows[2];
  for (int j = 0; j < 2; j++) {
    int y = clamp(first.y + j, 0, count.y - 1);
    vec4 here = texelFetch(picture, ivec2((first.x + count.x) % count.x, y), 0);
    vec4 next = texelFetch(picture, ivec2((first.x + 1 + count.x) % count.x, y), 0);
    rows[j] = mix(here, next, share.x);
  }
  vec4 value = mix(rows[0], rows[1], share.y);
  return slot.channels == 1 ? vec4(value.rrr, 1.0) : value;
}

vec2 roundPlace(vec2 p) {
  vec3 d = normalize(vec3((2.0 * p.x / room.x - 1.0) * field, (2.0 * p.y / room.y - 1.0) * field * room.y / room.x, 1.0));
  vec3 s = turn * d;
  return vec2(atan(s.x, s.z) / 6.283185307179586 + 0.5, 0.5 - asin(clamp(-s.y, -1.0, 1.0)) / 3.141592653589793);
}

vec3 shown(vec4 value, Slot slot, vec2 at) {
  if (any(isnan(value))) return vec3(mod(floor(at.x) + floor(at.y), 2.0));
  vec3 c = value.rgb;
  if (channel > 0 && slot.channels > 1) c = vec3(value[channel - 1]);
  if (slot.kind == 0) {
    // Coverage is no light: it is shown as it is.
    return channel == 4 ? c : throughView(c * exposure);
  }
  if (slot.kind == 2) c = dot(value.rgb, value.rgb) == 0.0 ? vec3(0.0) : c * 0.5 + 0.5;
  if (slot.kind == 4) c = vec3(0.5 + 0.5 * value.r / max(slot.ends.y, 1e-6));
  if (slot.kind == 3) {
    if (slot.channels == 1) {
      // Nearer is lighter, by reciprocal, so that near things keep their form beside far ones.
      float z = value.r;
      bool nothing = !(z > 0.0 && z < 1e9);
      float v = (1.0 / z - 1.0 / slot.ends.y) / max(1.0 / slot.ends.x - 1.0 / slot.ends.y, 1e-9);
      c = vec3(nothing ? 0.0 : pow(clamp(v, 0.0, 1.0), 0.6));
    } else {
      c = (c - slot.ends.x) / max(slot.ends.y - slot.ends.x, 1e-6);
    }
  }
  return clamp(c, 0.0, 1.0);
}

void main() {
  vec2 p = vec2(gl_FragCoord.x, size.y - gl_FragCoord.y);
  bool isPaired = mode == 2 || mode == 4, isRightHalf = isPaired && p.x >= size.x * 0.5;
  bool second = mode == 1 ? p.x >= wipe : isPaired ? isRightHalf != (mode == 4) : mode == 5 ? phase == 1 : false;
  if (isRightHalf) p.x -= floor(size.x * 0.5);
  vec2 at = (p - offset) / scale + display.xy;
  bool inA, inB;
  vec4 a, b;
  if (field > 0.0) {
    vec2 uv = roundPlace(p);
    at = display.xy + uv * display.zw;
    a = readRound(pictureA, slotA, uv);
    b = readRound(pictureB, slotB, uv);
    inA = inB = true;
  } else {
    a = read(pictureA, slotA, at, inA);
    b = read(pictureB, slotB, at, inB);
  }
  vec2 frame = (at - display.xy) / display.zw;
  bool framed = all(greaterThanEqual(frame, vec2(0.0))) && all(lessThan(frame, vec2(1.0)));
  // A line of the picture that came, not of the screen: that is what an interlaced display gets.
  if (mode == 7) second = mod(floor(at.y), 2.0) > 0.5;
  vec3 c;
  if (mode == 3) c = clamp(abs(a.rgb - b.rgb) * exposure, 0.0, 1.0);
  else if (mode == 6 && mixLinear) c = throughView(max(leftMatrix * a.rgb + rightMatrix * b.rgb, 0.0) * exposure);
  else if (mode == 6) c = clamp(leftMatrix * shown(a, slotA, at) + rightMatrix * shown(b, slotB, at), 0.0, 1.0);
  else if (second) c = shown(b, slotB, at);
  else c = shown(a, slotA, at);
  bool inside = second ? inB : inA;
  if (!inside) c = framed ? vec3(0.0) : surround;
  else if (!framed) c = mix(c, surround, 0.5);
  if (inside && band.y > band.x) {
    vec2 uv = (at - bandWindow.xy) / bandWindow.zw;
    float z = texture(distances, uv).r;
    if (z >= band.x && z <= band.y) c = mix(c, accent, 0.75);
  }
  colour = vec4(c, 1.0);
}`;


// The same for what is shown nearly always, one flat picture of light, without what it does not need: software
// draws it four times as fast.
export const PLAIN = `#version 300 es
precision highp float;
precision highp sampler2D;
precision highp sampler3D;
struct Slot { vec4 window; int channels; int kind; vec2 ends; };
uniform sampler2D pictureA;
uniform Slot slotA;
uniform sampler3D cube;
uniform vec3 shaper;
uniform vec2 size, offset;
uniform float scale, exposure;
uniform vec4 display;
uniform vec3 surround;
out vec4 colour;

void main() {
  vec2 at = (vec2(gl_FragCoord.x, size.y - gl_FragCoord.y) - offset) / scale + display.xy;
  vec2 frame = (at - display.xy) / display.zw, uv = (at - slotA.window.xy) / slotA.window.zw;
  bool framed = all(greaterThanEqual(frame, vec2(0.0))) && all(lessThan(frame, vec2(1.0)));
  bool inside = all(greaterThanEqual(uv, vec2(0.0))) && all(lessThan(uv, vec2(1.0)));
  if (!inside) { colour = vec4(framed ? vec3(0.0) : surround, 1.0); return; }
  vec3 light = texture(pictureA, uv).rgb;
  if (slotA.channels == 1) light = light.rrr;
  vec3 c;
  if (any(isnan(light))) c = vec3(mod(floor(at.x) + floor(at.y), 2.0));
  else {
    vec3 s = log2(1.0 + shaper.x * max(light * exposure, 0.0)) / shaper.y;
    c = texture(cube, clamp(s, 0.0, 1.0) * ((shaper.z - 1.0) / shaper.z) + 0.5 / shaper.z).rgb;
  }
  colour = vec4(framed ? c : mix(c, surround, 0.5), 1.0);
}`;

// What was drawn before, drawn again.
export const AGAIN = `#version 300 es
precision mediump float;
uniform sampler2D pictureA;
out vec4 colour;
void main() { colour = texelFetch(pictureA, ivec2(gl_FragCoord.xy), 0); }`;
