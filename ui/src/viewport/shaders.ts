/** Shaders of the view: light enough for software rendering, one look for light and dark. */

/** Reads a piece's transform and colour from the data texture: three texels a piece. */
const PIECE_FETCH = /* glsl */ `
  precision highp float;
  precision highp int;
  uniform highp sampler2D data;
  uniform int dataWidth;
  in vec3 info; // piece of the first copy, skin, pieces a copy
  int pieceNow() { return int(info.x + 0.5) + gl_InstanceID * int(info.z + 0.5); }
  // a quaternion's squared length is the copy's size
  vec3 turned(vec4 raw, vec3 v) {
    float size = dot(raw, raw);
    vec4 q = raw * inversesqrt(max(size, 1e-12));
    vec3 t = 2.0 * cross(q.xyz, v);
    return size * (v + q.w * t + cross(q.xyz, t));
  }
  void fetchPiece(int piece, out vec4 place, out vec4 q, out vec4 tint) {
    int at = piece * 3;
    ivec2 cell = ivec2(at % dataWidth, at / dataWidth);
    place = texelFetch(data, cell, 0);
    q = texelFetch(data, cell + ivec2(1, 0), 0);
    tint = texelFetch(data, cell + ivec2(2, 0), 0);
  }
`;

export const PIECE_VERTEX = /* glsl */ `
  ${PIECE_FETCH}
  out vec3 vWorld;
  out vec3 vLocal;
  flat out vec4 vTint;
  flat out float vState;
  flat out float vSkin;
  void main() {
    vec4 place, q, tint;
    fetchPiece(pieceNow(), place, q, tint);
    float shown = place.w > 3.5 ? 0.0 : 1.0; // removed pieces vanish
    vec4 world = vec4(place.xyz + turned(q, position) * shown, 1.0);
    vWorld = world.xyz;
    vLocal = position + vec3(float(pieceNow()) * 0.37);
    vTint = tint;
    vState = place.w;
    vSkin = info.y;
    gl_Position = projectionMatrix * viewMatrix * world;
  }
`;

export const PIECE_FRAGMENT = /* glsl */ `
  precision highp float;
  uniform vec4 section;
  uniform vec3 sky;
  uniform vec3 earth;
  uniform vec3 key;
  uniform vec3 keyColor;
  uniform vec3 accent;
  uniform vec3 haze;
  uniform float hazeFar;
  uniform float showHeld;
  uniform float heldLines;
  uniform vec3 heldColor;
  in vec3 vWorld;
  in vec3 vLocal;
  flat in vec4 vTint;
  flat in float vState;
  flat in float vSkin;
  out vec4 color;
  float hash(vec3 p) {
    p = fract(p * vec3(0.1031, 0.1030, 0.0973));
    p += dot(p, p.yxz + 33.33);
    return fract((p.x + p.y) * p.z);
  }
  float grain(vec3 p) {
    vec3 i = floor(p), f = fract(p);
    f = f * f * (3.0 - 2.0 * f);
    float low = mix(
      mix(hash(i), hash(i + vec3(1, 0, 0)), f.x),
      mix(hash(i + vec3(0, 1, 0)), hash(i + vec3(1, 1, 0)), f.x), f.y);
    float high = mix(
      mix(hash(i + vec3(0, 0, 1)), hash(i + vec3(1, 0, 1)), f.x),
      mix(hash(i + vec3(0, 1, 1)), hash(i + vec3(1, 1, 1)), f.x), f.y);
    return mix(low, high, f.z);
  }
  void main() {
    if (dot(section.xyz, vWorld) > section.w) discard;
    vec3 n = normalize(cross(dFdx(vWorld), dFdy(vWorld)));
    vec3 eye = normalize(cameraPosition - vWorld);
    if (dot(n, eye) < 0.0) n = -n;
    float stone = grain(vLocal * 3.1) * 0.6 + grain(vLocal * 11.0) * 0.4;
    vec3 base = vTint.rgb * (0.9 + 0.2 * stone);
    base *= vSkin > 0.5 ? 1.0 : 1.1; // a fresh cut is a little brighter than weathered skin
    float up = 0.5 + 0.5 * n.y;
    float lit = max(0.0, dot(n, key));
    vec3 light = mix(earth, sky, up) + keyColor * lit;
    float rim = pow(1.0 - max(0.0, dot(n, eye)), 3.0);
    vec3 c = base * light + sky * rim * 0.12;
    if (showHeld > 0.5 && vState < 0.5) { // held pieces carry a woven pattern, not only a tint
      float u = (vWorld.x + vWorld.z * 0.7 + vWorld.y) * heldLines;
      float wide = fwidth(u);
      float weave = smoothstep(0.32, 0.32 + wide, abs(fract(u) - 0.5)) * (1.0 - smoothstep(0.25, 0.6, wide));
      c = mix(c, heldColor, 0.34 * weave);
    }
    if (vTint.a > 0.5) c = mix(c, accent, 0.16) + accent * (0.05 + 0.55 * rim);
    float far = clamp(length(cameraPosition - vWorld) / hazeFar, 0.0, 1.0);
    color = vec4(mix(c, haze, far * far * 0.6), 1.0);
  }
`;

/**
 * What is marked, wider by a few pixels of the screen away from each piece's middle: drawn round where it is, as an
 * outline that shows on any colour and through what stands before it. Marks: 1 chosen, 2 under the pointer.
 */
export const OUTLINE_VERTEX = /* glsl */ `
  ${PIECE_FETCH}
  uniform vec2 viewport;
  uniform float wider;
  flat out float vMark;
  out vec3 vWorld;
  void main() {
    vec4 place, q, tint;
    fetchPiece(pieceNow(), place, q, tint);
    vMark = tint.a;
    vWorld = place.xyz + turned(q, position);
    float shown = tint.a > 0.5 && place.w < 3.5 ? 1.0 : 0.0;
    vec4 middle = projectionMatrix * viewMatrix * vec4(place.xyz, 1.0);
    vec4 at = projectionMatrix * viewMatrix * vec4(place.xyz + turned(q, position) * shown, 1.0);
    vec2 out2 = (at.xy / at.w - middle.xy / middle.w) * viewport;
    float far = length(out2);
    if (far > 1e-4 && at.w > 0.0) at.xy += out2 / far * wider * 2.0 / viewport * at.w;
    gl_Position = at;
  }
`;

export const OUTLINE_FRAGMENT = /* glsl */ `
  precision highp float;
  uniform vec4 section;
  uniform vec3 accent;
  uniform vec3 pointed;
  uniform vec3 casing;
  uniform float cased;
  flat in float vMark;
  in vec3 vWorld;
  out vec4 color;
  void main() {
    if (dot(section.xyz, vWorld) > section.w) discard;
    color = vec4(cased > 0.5 ? casing : vMark > 1.5 ? pointed : accent, 1.0);
  }
`;

/** Outlines of cut faces: lines that move with their pieces. */
export const WIRE_VERTEX = /* glsl */ `
  ${PIECE_FETCH}
  out vec3 vWorld;
  void main() {
    vec4 place, q, tint;
    fetchPiece(pieceNow(), place, q, tint);
    vWorld = place.xyz + turned(q, position * 1.0015) * (place.w > 3.5 ? 0.0 : 1.0);
    gl_Position = projectionMatrix * viewMatrix * vec4(vWorld, 1.0);
    gl_Position.z -= 0.00012 * gl_Position.w;
  }
`;

export const WIRE_FRAGMENT = /* glsl */ `
  precision highp float;
  uniform vec4 section;
  uniform vec3 wireColor;
  in vec3 vWorld;
  out vec4 color;
  void main() { if (dot(section.xyz, vWorld) > section.w) discard; color = vec4(wireColor, 0.75); }
`;

/** The same pieces, laid flat on the ground along the key light: a shadow in one draw. */
export const SHADOW_VERTEX = /* glsl */ `
  ${PIECE_FETCH}
  uniform vec3 key;
  uniform float groundHeight;
  out float vHeight;
  out vec2 vGround;
  void main() {
    vec4 place, q, tint;
    fetchPiece(pieceNow(), place, q, tint);
    vec3 p = place.xyz + turned(q, position) * (place.w > 3.5 ? 0.0 : 1.0);
    float h = max(0.0, p.y - groundHeight);
    p.xz -= key.xz / key.y * h;
    vHeight = h;
    vGround = p.xz;
    gl_Position = projectionMatrix * viewMatrix * vec4(p.x, groundHeight + 0.004, p.z, 1.0);
  }
`;

export const SHADOW_FRAGMENT = /* glsl */ `
  precision highp float;
  uniform vec3 shade;
  uniform float strength;
  in float vHeight;
  in vec2 vGround;
  out vec4 color;
  void main() { color = vec4(shade, strength / (1.0 + 0.05 * vHeight)); }
`;

/** Writes the piece's number as a colour, for picking. */
export const PICK_VERTEX = /* glsl */ `
  ${PIECE_FETCH}
  flat out float vPiece;
  out vec3 vWorld;
  void main() {
    vec4 place, q, tint;
    fetchPiece(pieceNow(), place, q, tint);
    vPiece = float(pieceNow());
    vWorld = place.xyz + turned(q, position);
    vec3 away = turned(q, position) * (place.w > 3.5 ? 0.0 : 1.0);
    gl_Position = projectionMatrix * viewMatrix * vec4(place.xyz + away, 1.0);
  }
`;

export const PICK_FRAGMENT = /* glsl */ `
  precision highp float;
  uniform vec4 section;
  flat in float vPiece;
  in vec3 vWorld;
  out vec4 color;
  void main() {
    if (dot(section.xyz, vWorld) > section.w) discard;
    float n = floor(vPiece + 1.5);
    color = vec4(mod(n, 256.0), mod(floor(n / 256.0), 256.0), floor(n / 65536.0), 255.0) / 255.0;
  }
`;

export const GROUND_VERTEX = /* glsl */ `
  out vec3 vWorld;
  void main() {
    vec4 w = modelMatrix * vec4(position, 1.0);
    vWorld = w.xyz;
    gl_Position = projectionMatrix * viewMatrix * w;
  }
`;

/** The ground: a calm disc that fades out, with lines at round distances. */
export const GROUND_FRAGMENT = /* glsl */ `
  precision highp float;
  uniform vec3 ground;
  uniform vec3 line;
  uniform float cell;
  uniform float reach;
  uniform vec3 middle;
  in vec3 vWorld;
  out vec4 color;
  float lines(vec2 p, float size) {
    vec2 g = abs(fract(p / size - 0.5) - 0.5) * size / max(fwidth(p), vec2(1e-6));
    return 1.0 - clamp(min(g.x, g.y), 0.0, 1.0);
  }
  void main() {
    float d = length(vWorld.xz - middle.xz) / reach;
    float fade = 1.0 - smoothstep(0.15, 1.0, d);
    float l = max(lines(vWorld.xz, cell) * 0.35, lines(vWorld.xz, cell * 5.0) * 0.8);
    color = vec4(mix(ground, line, l), fade);
  }
`;

/**
 * A slice through a falloff: its value as shade. shapeKind 0 sphere, 1 box, 2 plane; profile 0 linear, 1 smooth, 2
 * sharp, 3 round.
 */
export const SLICE_FRAGMENT = /* glsl */ `
  precision highp float;
  uniform vec3 tint;
  uniform int shapeKind;
  uniform int profile;
  uniform vec3 core;
  uniform float edge;
  uniform float inverted;
  in vec3 vInside;
  out vec4 color;
  void main() {
    float d;
    if (shapeKind == 0) d = length(vInside) - core.x;
    else if (shapeKind == 1) {
      vec3 q = abs(vInside) - 0.5 * core;
      d = length(max(q, 0.0)) + min(max(q.x, max(q.y, q.z)), 0.0);
    }
    else if (shapeKind == 2) d = vInside.y;
    else {
      float r = length(vInside.xz);
      float y = vInside.y;
      if (shapeKind == 3) {
        vec2 q = vec2(r - core.x, abs(y) - 0.5 * core.y);
        d = length(max(q, 0.0)) + min(max(q.x, q.y), 0.0);
      }
      else if (shapeKind == 4) d = length(vec2(r, y - clamp(y, -0.5 * core.y, 0.5 * core.y))) - core.x;
      else if (shapeKind == 5) {
        float h = y - 0.5 * core.y;
        float s = clamp((r * core.x - h * core.y) / dot(core.xy, core.xy), 0.0, 1.0);
        d = min(length(vec2(r - s * core.x, h + s * core.y)), length(vec2(r - min(r, core.x), h + core.y)));
        if (h > -core.y && r * core.y < -h * core.x) d = -d;
      } else d = length(vec2(r - core.x, y)) - core.y;
    }
    float t = edge > 0.0 ? clamp(d / edge, 0.0, 1.0) : step(0.0, d);
    float v = profile == 0 ? 1.0 - t : profile == 1 ? 1.0 - t * t * (3.0 - 2.0 * t)
      : profile == 2 ? (1.0 - t) * (1.0 - t) : sqrt(max(0.0, 1.0 - t * t));
    if (inverted > 0.5) v = 1.0 - v;
    if (v < 0.004) discard;
    color = vec4(tint, 0.26 * v);
  }
`;

export const SLICE_VERTEX = /* glsl */ `
  uniform mat4 toInside;
  out vec3 vInside;
  void main() {
    vec4 w = modelMatrix * vec4(position, 1.0);
    vInside = (toInside * w).xyz;
    gl_Position = projectionMatrix * viewMatrix * w;
  }
`;
