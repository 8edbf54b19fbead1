/**
 * Bodies that deform. What moves of each is one small texture of places; normals, stretch and the round of ropes are
 * worked out on the graphics card.
 */
import * as THREE from "three";
import { ramp, type Rgb } from "../lib/ramp";
import { skinOf } from "../lib/skin";
import { ringsOf, together, tubeOf } from "../lib/rings";
import { meetFaces, meetLines, type Met } from "./meets";
import type { Vec } from "../lib/rotation";
import { NUMBER_FRAGMENT, ROPE_VERTEX, SURFACE_FRAGMENT, SURFACE_VERTEX, flattened } from "./surfaceShaders";
import { SHADOW_FRAGMENT } from "./shaders";

const WIDE = 1024;

export interface SurfaceShape {
  /** what it belongs to, and which of its copies it is */
  name: string;
  copy: number;
  /** at rest in its own frame, three numbers a vertex */
  vertices: Float32Array;
  faces: Uint32Array;
  /** segments of a rope; its radius [m] */
  lines: Uint32Array;
  radius: number;
  /** for the eye alone: a thickness [m] and the side it lies to, how often triangles are divided, sides of a rope */
  thick: number;
  side: number;
  smooth: number;
  sides: number;
}

export type SurfaceColor = "own" | "stretch" | "value" | "held" | "packed";
const COLORS: SurfaceColor[] = ["own", "stretch", "value", "held", "packed"];

interface Shown {
  shape: SurfaceShape;
  uniforms: Record<string, THREE.IUniform>;
  /** where vertices are, three numbers each, and the texture of them; of both there is more than vertices */
  at: Float32Array<ArrayBuffer>;
  places: THREE.DataTexture;
  /** a number for each vertex */
  values: Float32Array<ArrayBuffer>;
  given: THREE.DataTexture;
  textures: THREE.DataTexture[];
  objects: THREE.Mesh[];
  geometry: THREE.BufferGeometry;
  materials: THREE.ShaderMaterial[];
}

function textureOf(values: Float32Array<ArrayBuffer>): THREE.DataTexture {
  const out = new THREE.DataTexture(values, WIDE, values.length / 4 / WIDE, THREE.RGBAFormat, THREE.FloatType);
  out.needsUpdate = true;
  return out;
}

/** As it comes from a take: three numbers a vertex, so that a frame is laid down in one go. */
function triplesOf(values: Float32Array<ArrayBuffer>): THREE.DataTexture {
  const out = new THREE.DataTexture(values, WIDE, values.length / 3 / WIDE, THREE.RGBFormat, THREE.FloatType);
  out.internalFormat = "RGB32F";
  out.needsUpdate = true;
  return out;
}

function numbersOf(values: Float32Array<ArrayBuffer>): THREE.DataTexture {
  const out = new THREE.DataTexture(values, WIDE, values.length / WIDE, THREE.RedFormat, THREE.FloatType);
  out.needsUpdate = true;
  return out;
}

const rowsFor = (texels: number): number => Math.max(1, Math.ceil(texels / WIDE));
const roomFor = (texels: number): Float32Array<ArrayBuffer> => new Float32Array(rowsFor(texels) * WIDE * 4);

export class SurfaceBatch {
  readonly group = new THREE.Group();
  readonly pickGroup = new THREE.Group();
  private readonly shared: Record<string, THREE.IUniform>;
  private readonly ramp: THREE.DataTexture;
  private shown: Shown[] = [];

  /** shared: the uniforms that all materials of the view have */
  constructor(shared: Record<string, THREE.IUniform>) {
    const stops = new Uint8Array(64 * 4);
    for (let k = 0; k < 64; k++) stops.set([...ramp(k / 63).map((c) => Math.round(255 * c)), 255], k * 4);
    this.ramp = new THREE.DataTexture(stops, 64, 1);
    this.ramp.magFilter = this.ramp.minFilter = THREE.LinearFilter;
    this.ramp.needsUpdate = true;
    this.shared = { ...shared, ramp: { value: this.ramp }, wide: { value: WIDE } };
  }

  get count(): number {
    return this.shown.length;
  }

  /** The first of a thing's; -1 where it has none. */
  numberOf(name: string): number {
    return this.shown.findIndex((s) => s.shape.name === name);
  }

  shapeOf(k: number): SurfaceShape {
    return this.shown[k]!.shape;
  }

  /** Take on other bodies; ``first``: the number the first of them is picked by, the others follow. */
  setShapes(shapes: readonly SurfaceShape[], first: number): void {
    this.clear();
    this.shown = shapes.map((shape, k) => this.made(shape, first + k));
  }

  private made(shape: SurfaceShape, number: number): Shown {
    const count = shape.vertices.length / 3;
    const at = new Float32Array(rowsFor(count) * WIDE * 3);
    const values = new Float32Array(rowsFor(count) * WIDE);
    const rest = roomFor(count);
    for (let v = 0; v < count; v++) rest.set(shape.vertices.subarray(v * 3, v * 3 + 3), v * 4);
    const rope = shape.lines.length > 0;
    const own = shape.faces.length === count; // every triangle has vertices of its own
    const sharp = shape.thick === 0 && shape.smooth === 0; // both sides of an edge lie where it lies
    const round = ringsOf(rope ? 0 : count, shape.faces, {
      same: own ? together(shape.vertices) : null,
      places: sharp ? shape.vertices : null,
    });
    const rings = roomFor(Math.max(1, round.table.length / 4));
    rings.set(round.table);
    const [places, given, ...others] = [triplesOf(at), numbersOf(values), textureOf(rest), textureOf(rings)];
    const uniforms: Record<string, THREE.IUniform> = {
      ...this.shared,
      places: { value: places },
      given: { value: given },
      rest: { value: others[0] },
      rings: { value: others[1] },
      tint: { value: new THREE.Color() },
      chosen: { value: 0 },
      colorBy: { value: 0 },
      most: { value: 0.05 },
      alone: { value: shape.faces.length === count ? 1 : 0 },
      radius: { value: shape.radius },
      thick: { value: shape.thick },
      side: { value: shape.side },
      number: { value: number },
    };
    const geometry = new THREE.BufferGeometry();
    if (rope) {
      const tube = tubeOf(shape.lines, shape.sides);
      geometry.setAttribute("position", new THREE.BufferAttribute(tube.position, 3));
      geometry.setAttribute("angle", new THREE.BufferAttribute(tube.angle, 1));
      geometry.setIndex(new THREE.BufferAttribute(tube.index, 1));
    } else {
      const skin = skinOf(shape.faces, 2 ** shape.smooth, shape.thick > 0, round.row);
      geometry.setAttribute("position", new THREE.BufferAttribute(skin.position, 3));
      geometry.setAttribute("ring", new THREE.BufferAttribute(skin.ring, 3));
      geometry.setAttribute("share", new THREE.BufferAttribute(skin.share, 2));
      geometry.setAttribute("off", new THREE.BufferAttribute(skin.off, 1));
      geometry.setIndex(new THREE.BufferAttribute(skin.index, 1));
    }
    const vertex = rope ? ROPE_VERTEX : SURFACE_VERTEX;
    const made = (
      vertexShader: string,
      fragmentShader: string,
      more: THREE.ShaderMaterialParameters = {},
    ): THREE.ShaderMaterial =>
      new THREE.ShaderMaterial({
        uniforms,
        vertexShader,
        fragmentShader,
        glslVersion: THREE.GLSL3,
        side: THREE.DoubleSide,
        ...more,
      });
    const materials = [
      made(vertex, SURFACE_FRAGMENT),
      made(flattened(vertex), SHADOW_FRAGMENT, {
        transparent: true,
        depthWrite: false,
        stencilWrite: true,
        stencilFunc: THREE.EqualStencilFunc,
        stencilRef: 0,
        stencilZPass: THREE.IncrementStencilOp,
      }),
      made(vertex, NUMBER_FRAGMENT),
    ];
    const objects = materials.map((material, k) => {
      const mesh = new THREE.Mesh(geometry, material);
      mesh.frustumCulled = false;
      mesh.renderOrder = [2, 1, 2][k]!;
      (k === 2 ? this.pickGroup : this.group).add(mesh);
      return mesh;
    });
    const textures = [places, given, ...others];
    return { shape, uniforms, at, places, values, given, textures, objects, geometry, materials };
  }

  /** Where the vertices of one are [m], world, three numbers each. */
  setPlaces(k: number, points: ArrayLike<number>): void {
    const { at, places } = this.shown[k]!;
    if (points.length <= at.length) at.set(points);
    places.needsUpdate = true;
  }

  /** A number for each vertex, coloured by a ramp from 0 to 1 (below 0: none). */
  setValues(k: number, value: (vertex: number) => number): void {
    const { values, given, shape } = this.shown[k]!;
    for (let v = 0; v < shape.vertices.length / 3; v++) values[v] = value(v);
    given.needsUpdate = true;
  }

  /** most: the stretch at the end of the ramp */
  setLook(k: number, tint: Rgb, by: SurfaceColor, more: { chosen: boolean; hidden: boolean; most: number }): void {
    const { uniforms, objects } = this.shown[k]!;
    (uniforms.tint!.value as THREE.Color).setRGB(...tint);
    uniforms.colorBy!.value = COLORS.indexOf(by);
    uniforms.chosen!.value = more.chosen ? 1 : 0;
    uniforms.most!.value = more.most;
    for (const object of objects) object.visible = !more.hidden;
  }

  /** Where a vertex of one is. */
  placeOf(k: number, vertex: number): [number, number, number] {
    return [...this.shown[k]!.at.subarray(vertex * 3, vertex * 3 + 3)] as [number, number, number];
  }

  /** Where a ray meets one as it is drawn; of a rope, where it passes nearest. */
  meet(k: number, origin: Vec, along: Vec): Met | null {
    const { at, shape } = this.shown[k]!;
    return shape.lines.length ? meetLines(origin, along, at, shape.lines) : meetFaces(origin, along, at, shape.faces);
  }

  /** Where vertices of a thing are, all its copies; of very many some are left out. */
  eachPlace(name: string, visit: (at: [number, number, number]) => void): void {
    this.shown.forEach(({ shape }, k) => {
      if (shape.name !== name) return;
      const step = Math.max(1, Math.floor(this.verticesOf(k) / 2000));
      for (let v = 0; v < this.verticesOf(k); v += step) visit(this.placeOf(k, v));
    });
  }

  /** Vertices of one. */
  verticesOf(k: number): number {
    return this.shown[k]!.shape.vertices.length / 3;
  }

  private clear(): void {
    this.group.clear();
    this.pickGroup.clear();
    for (const { geometry, materials, textures } of this.shown) {
      geometry.dispose();
      for (const m of materials) m.dispose();
      for (const t of textures) t.dispose();
    }
    this.shown = [];
  }

  dispose(): void {
    this.clear();
    this.ramp.dispose();
  }
}
