/** Shaders of what deforms: its vertices are read from a texture, its normals are worked out on the graphics card. */

/** Places of drawn vertices (three numbers and a value), where they were at rest, and the triangles round each. */
const FETCH = /* glsl */ `
  precision highp float;
  precision highp int;
  uniform highp sampler2D places;
  uniform highp sampler2D given;
  uniform highp sampler2D rest;
  uniform highp sampler2D rings;
  uniform int wide;
  /** What lies on a surface is drawn this much nearer, over the facets of the other that would cut through it. */
  const float NEARER = 0.9988;
  uniform int colorBy; // 0 its own, 1 stretch, 2 value by ramp, 3 what is held, 4 a colour packed in a number
  uniform float most;
  uniform int alone;
  ivec2 cell(int k) { return ivec2(k % wide, k / wide); }
  vec3 place(int v) { return texelFetch(places, cell(v), 0).xyz; }
  float givenTo(int v) { return texelFetch(given, cell(v), 0).r; }
  vec4 tintOf(float packedColor) {
    if (colorBy != 4 || packedColor < 0.0) return vec4(0.0);
    vec3 bytes = vec3(floor(packedColor / 65536.0), mod(floor(packedColor / 256.0), 256.0), mod(packedColor, 256.0));
    return vec4(bytes / 255.0, 1.0);
  }
`;

/** Stretch on a scale of tens: 0 at a hundredth of a per cent, 1 at ``most``. */
const SCALED = /* glsl */ `
  float scaled(float stretch) { return stretch > 1e-4 ? log(stretch / 1e-4) / log(most / 1e-4) : 0.0; }
`;

const STRETCH = /* glsl */ `
  float stretchOf(int v, int row) {
    vec3 p = place(v);
    vec3 r = texelFetch(rest, cell(v), 0).xyz;
    float longest = 0.0;
    for (int k = 0; k < 4; k++) {
      vec4 round = texelFetch(rings, cell(row * 4 + k), 0);
      for (int h = 0; h < 2; h++) {
        int a = int(h == 0 ? round.x : round.z);
        if (a < 0 || (alone == 1 && k + h > 0)) continue; // what can tear is stretched within its own triangle
        float long0 = length(texelFetch(rest, cell(a), 0).xyz - r);
        if (long0 > 0.0) longest = max(longest, length(place(a) - p) / long0);
      }
    }
    return longest > 0.0 ? longest - 1.0 : 0.0;
  }
`;

export const SURFACE_VERTEX = /* glsl */ `
  ${FETCH}
  ${SCALED}
  ${STRETCH}
  in vec3 ring; // rows of what lies round the vertices
  in vec2 share;
  in float off;
  uniform float thick;
  uniform float side;
  out vec3 vWorld;
  out vec3 vNormal;
  out float vValue;
  out vec4 vTint;
  vec3 normalOf(int row, vec3 at) {
    vec3 n = vec3(0.0);
    for (int k = 0; k < 4; k++) {
      vec4 round = texelFetch(rings, cell(row * 4 + k), 0);
      if (round.x >= 0.0) n += cross(place(int(round.x)) - at, place(int(round.y)) - at);
      if (round.z >= 0.0) n += cross(place(int(round.z)) - at, place(int(round.w)) - at);
    }
    return n;
  }
  float valueOf(int v, int row) { return colorBy == 1 ? scaled(stretchOf(v, row)) : givenTo(v); }
  vec3 unit(vec3 n) { return n / max(length(n), 1e-20); }
  void main() {
    int a = int(position.x + 0.5);
    int ra = int(ring.x + 0.5);
    vec3 own = place(a);
    vec3 at = own;
    vNormal = normalOf(ra, at);
    vValue = valueOf(a, ra);
    vTint = tintOf(givenTo(a));
    if (share.x + share.y > 0.0) {
      // between vertices: on the planes that touch the surface there (Boubekeur and Alexa 2008, doi
      // 10.1145/1457515.1409094)
      int b = int(position.y + 0.5);
      int c = int(position.z + 0.5);
      int rb = int(ring.y + 0.5);
      int rc = int(ring.z + 0.5);
      vec3 pb = place(b);
      vec3 pc = place(c);
      float u = 1.0 - share.x - share.y;
      vec3 flatAt = u * own + share.x * pb + share.y * pc;
      vec3 na = unit(vNormal);
      vec3 nb = unit(normalOf(rb, pb));
      vec3 nc = unit(normalOf(rc, pc));
      vec3 bent = flatAt - u * dot(flatAt - own, na) * na - share.x * dot(flatAt - pb, nb) * nb
        - share.y * dot(flatAt - pc, nc) * nc;
      at = mix(flatAt, bent, 0.75);
      vNormal = u * na + share.x * nb + share.y * nc;
      vValue = u * vValue + share.x * valueOf(b, rb) + share.y * valueOf(c, rc);
      vTint = u * vTint + share.x * tintOf(givenTo(b)) + share.y * tintOf(givenTo(c));
    }
    if (off != 0.0) at += unit(vNormal) * thick * 0.5 * (off + side);
    vWorld = at;
    gl_Position = projectionMatrix * vec4(NEARER * (viewMatrix * vec4(at, 1.0)).xyz, 1.0);
  }
`;

/** A rope: rings of points round its vertices. position: the vertex, and those before and after it. */
export const ROPE_VERTEX = /* glsl */ `
  ${FETCH}
  ${SCALED}
  in float angle;
  uniform float radius;
  uniform vec2 viewport;
  out vec3 vWorld;
  out vec3 vNormal;
  out float vValue;
  out vec4 vTint;
  void main() {
    int v = int(position.x + 0.5);
    int before = int(position.y + 0.5);
    int after = int(position.z + 0.5);
    vec3 own = place(v);
    vec3 along = place(after) - place(before);
    float far = length(along);
    along = far > 0.0 ? along / far : vec3(0.0, 1.0, 0.0);
    vec3 side = normalize(cross(along, abs(along.y) < 0.9 ? vec3(0.0, 1.0, 0.0) : vec3(1.0, 0.0, 0.0)));
    vNormal = cos(angle) * side + sin(angle) * cross(along, side);
    // never thinner than a line on the screen
    float pixel = (projectionMatrix * viewMatrix * vec4(own, 1.0)).w * 2.0 / (projectionMatrix[1][1] * viewport.y);
    vWorld = own + vNormal * max(radius, 0.8 * pixel);
    float rest0 = length(texelFetch(rest, cell(after), 0).xyz - texelFetch(rest, cell(v), 0).xyz)
      + length(texelFetch(rest, cell(v), 0).xyz - texelFetch(rest, cell(before), 0).xyz);
    float now0 = length(place(after) - own) + length(own - place(before));
    vTint = tintOf(givenTo(v));
    vValue = colorBy == 1 ? scaled(rest0 > 0.0 ? now0 / rest0 - 1.0 : 0.0) : givenTo(v);
    gl_Position = projectionMatrix * vec4(NEARER * (viewMatrix * vec4(vWorld, 1.0)).xyz, 1.0);
  }
`;

export const SURFACE_FRAGMENT = /* glsl */ `
  precision highp float;
  uniform vec4 section;
  uniform vec3 sky;
  uniform vec3 earth;
  uniform vec3 key;
  uniform vec3 keyColor;
  uniform vec3 accent;
  uniform vec3 haze;
  uniform float hazeFar;
  uniform vec3 heldColor;
  uniform vec3 tint;
  uniform float chosen;
  uniform int colorBy;
  uniform sampler2D ramp;
  in vec3 vWorld;
  in vec3 vNormal;
  in float vValue;
  in vec4 vTint;
  out vec4 color;
  void main() {
    if (dot(section.xyz, vWorld) > section.w) discard;
    vec3 flatNormal = normalize(cross(dFdx(vWorld), dFdy(vWorld)));
    vec3 eye = normalize(cameraPosition - vWorld);
    if (dot(flatNormal, eye) < 0.0) flatNormal = -flatNormal;
    vec3 n = length(vNormal) > 0.0 ? normalize(vNormal) : flatNormal;
    if (dot(n, flatNormal) < 0.0) n = -n;
    if (dot(n, flatNormal) < 0.6) n = flatNormal; // a crease stays one
    vec3 base = tint;
    if (colorBy == 1 || colorBy == 2) {
      vec3 shown = texture(ramp, vec2(clamp(vValue, 0.0, 1.0), 0.5)).rgb;
      base = vValue < 0.0 && colorBy == 2 ? tint * 0.55 : shown;
    }
    if (colorBy == 4 && vTint.a > 0.0) base = mix(tint, vTint.rgb / vTint.a, vTint.a);
    if (colorBy == 3) base = mix(tint, heldColor, 0.75 * clamp(vValue, 0.0, 1.0));
    float up = 0.5 + 0.5 * n.y;
    float lit = max(0.0, dot(n, key));
    float through = max(0.0, -dot(n, key)); // a little light comes through
    vec3 light = mix(earth, sky, up) + keyColor * (lit + 0.25 * through);
    float rim = pow(1.0 - max(0.0, dot(n, eye)), 3.0);
    vec3 c = base * light + sky * rim * 0.08;
    if (chosen > 0.5) c = mix(c, accent, 0.16) + accent * (0.05 + 0.55 * rim);
    float far = clamp(length(cameraPosition - vWorld) / hazeFar, 0.0, 1.0);
    color = vec4(mix(c, haze, far * far * 0.6), 1.0);
  }
`;

/** The same laid flat on the ground along the key light. */
export const flattened = (vertex: string): string =>
  vertex
    .replace("void main() {", "uniform vec3 key;\n  uniform float groundHeight;\n  out float vHeight;\n  void main() {")
    .replace(
      /gl_Position = .*;\n {2}}\n$/,
      `float h = max(0.0, vWorld.y - groundHeight);
    vHeight = h;
    vec2 foot = vWorld.xz - key.xz / key.y * h;
    gl_Position = projectionMatrix * viewMatrix * vec4(foot.x, groundHeight + 0.004, foot.y, 1.0);
  }
`,
    );

export const NUMBER_FRAGMENT = /* glsl */ `
  precision highp float;
  uniform vec4 section;
  uniform float number;
  in vec3 vWorld;
  out vec4 color;
  void main() {
    if (dot(section.xyz, vWorld) > section.w) discard;
    float n = floor(number + 1.5);
    color = vec4(mod(n, 256.0), mod(floor(n / 256.0), 256.0), floor(n / 65536.0), 255.0) / 255.0;
  }
`;
