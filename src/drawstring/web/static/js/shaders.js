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
uniform int mode;         // 0 one, 1 wipe, 2 beside, 3 difference
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
  bool second = mode == 1 ? p.x >= wipe : mode == 2 ? p.x >= size.x * 0.5 : false;
  if (mode == 2 && second) p.x -= floor(size.x * 0.5);
  vec2 at = (p - offset) / scale + display.xy;
  vec2 frame = (at - display.xy) / display.zw;
  bool framed = all(greaterThanEqual(frame, vec2(0.0))) && all(lessThan(frame, vec2(1.0)));
  bool inA, inB;
  vec4 a = read(pictureA, slotA, at, inA);
  vec4 b = read(pictureB, slotB, at, inB);
  vec3 c;
  if (mode == 3) c = clamp(abs(a.rgb - b.rgb) * exposure, 0.0, 1.0);
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
