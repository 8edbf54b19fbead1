/**
 * All pieces of all bodies; what moves is a small texture of transforms and colours. Copies of a group share one
 * geometry.
 */
import * as THREE from "three";
import type { Packed } from "../api/packed";
import { cutOutline } from "../lib/outline";
import type { Vec } from "../lib/rotation";
import {
  OUTLINE_FRAGMENT,
  OUTLINE_VERTEX,
  PICK_FRAGMENT,
  PICK_VERTEX,
  PIECE_FRAGMENT,
  PIECE_VERTEX,
  SHADOW_FRAGMENT,
  SHADOW_VERTEX,
  WIRE_FRAGMENT,
  WIRE_VERTEX,
} from "./shaders";

const WIDTH = 1536; // three texels a piece, never broken over two rows
/** numbers of a piece in the texture: its place, its state; its turn; its colour, its mark */
const STRIDE = 12;
const STATE = 3;
const TURN = 4;
const COLOR = 8;
const MARK = 3;

/** what marks a piece out */
const CHOSEN = 1;
const POINTED = 2;
/** the bit of the stencil that keeps outlines out of what they go round */
const INSIDE = 16;
/** widths of an outline and of its casing [pixels of the screen] */
const LINE_WIDE = 2.2;
const CASING_WIDE = 3.4;

/** A body, or a group as copies of one body. */
export interface BatchBody {
  name: string;
  packed: Packed;
  copies: number;
}

export class PieceBatch {
  readonly group = new THREE.Group();
  readonly uniforms: Record<string, THREE.IUniform>;
  count = 0;
  /** what is picked beside pieces, by numbers from ``count`` on */
  others: THREE.Object3D | null = null;
  bodies: BatchBody[] = [];
  /** first piece of each body, and the total at the end */
  first: number[] = [0];
  private values = new Float32Array(0);
  private texture: THREE.DataTexture | null = null;
  private readonly materials: THREE.ShaderMaterial[];
  private readonly pickMaterial: THREE.ShaderMaterial;
  private readonly wireMaterial: THREE.ShaderMaterial;
  private readonly outlineMaterials: THREE.ShaderMaterial[];
  private readonly outlines = new THREE.Group();
  private pointed = -1;
  private readonly pickScene = new THREE.Scene();
  private geometries: THREE.BufferGeometry[] = [];
  private wires: THREE.LineSegments[] = [];
  private wired = false;

  constructor(uniforms: Record<string, THREE.IUniform>) {
    this.uniforms = {
      ...uniforms,
      data: { value: null },
      dataWidth: { value: WIDTH },
      viewport: { value: new THREE.Vector2(1, 1) },
    };
    const shader = (
      vertexShader: string,
      fragmentShader: string,
      more: THREE.ShaderMaterialParameters = {},
    ): THREE.ShaderMaterial =>
      new THREE.ShaderMaterial({
        uniforms: this.uniforms,
        vertexShader,
        fragmentShader,
        glslVersion: THREE.GLSL3,
        side: THREE.DoubleSide,
        ...more,
      });
    const stencil: THREE.ShaderMaterialParameters = {
      transparent: true,
      depthWrite: false,
      stencilWrite: true,
      stencilFunc: THREE.EqualStencilFunc,
      stencilRef: 0,
      stencilZPass: THREE.IncrementStencilOp,
    };
    this.materials = [shader(PIECE_VERTEX, PIECE_FRAGMENT), shader(SHADOW_VERTEX, SHADOW_FRAGMENT, stencil)];
    const outline = (more: THREE.ShaderMaterialParameters, wider: number, cased: number): THREE.ShaderMaterial => {
      const material = shader(OUTLINE_VERTEX, OUTLINE_FRAGMENT, {
        depthTest: false,
        depthWrite: false,
        stencilWrite: true,
        stencilRef: INSIDE,
        stencilFuncMask: INSIDE,
        stencilWriteMask: INSIDE,
        stencilZPass: THREE.ReplaceStencilOp,
        stencilFunc: THREE.NotEqualStencilFunc,
        transparent: true,
        ...more,
      });
      material.uniforms = { ...this.uniforms, wider: { value: wider }, cased: { value: cased } };
      return material;
    };
    this.outlineMaterials = [
      outline({ colorWrite: false, stencilFunc: THREE.AlwaysStencilFunc }, 0, 0),
      outline({}, LINE_WIDE, 0),
      outline({}, CASING_WIDE, 1),
    ];
    this.pickMaterial = shader(PICK_VERTEX, PICK_FRAGMENT);
    this.wireMaterial = shader(WIRE_VERTEX, WIRE_FRAGMENT, { transparent: true, depthWrite: false });
  }

  get names(): string[] {
    return this.bodies.map((b) => b.name);
  }

  /** Pieces of one copy of a body. */
  perCopy(body: number): number {
    return this.bodies[body]!.packed.volume!.length;
  }

  /** Take on new bodies. Pieces are numbered through: body after body, copy after copy. */
  setBodies(bodies: BatchBody[]): void {
    this.clear();
    this.bodies = bodies;
    this.group.add(this.outlines);
    this.pointed = -1;
    this.first = [0];
    for (const { packed, copies } of bodies) this.first.push(this.first.at(-1)! + packed.volume!.length * copies);
    this.count = this.first.at(-1)!;
    const single = bodies.map((b, k) => ({ ...b, first: this.first[k]! })).filter((b) => b.copies === 1);
    if (single.length) this.add(single, 1);
    bodies.forEach((b, k) => b.copies !== 1 && this.add([{ ...b, first: this.first[k]! }], b.copies));
    const rows = Math.max(1, Math.ceil((this.count * 3) / WIDTH));
    this.texture?.dispose();
    this.values = new Float32Array(rows * WIDTH * 4);
    this.texture = new THREE.DataTexture(this.values, WIDTH, rows, THREE.RGBAFormat, THREE.FloatType);
    this.texture.needsUpdate = true;
    this.uniforms.data!.value = this.texture;
    if (this.wired) this.showWire(true);
  }

  private add(bodies: (BatchBody & { first: number })[], copies: number): void {
    let corners = 0;
    for (const { packed } of bodies) corners += 3 * packed.face_start!.at(-1)!; // what deforms has faces, but no pieces
    const position = new Float32Array(corners * 3);
    const info = new Float32Array(corners * 3);
    let at = 0;
    for (const { packed, first } of bodies) {
      const { vertices, faces, face_start, skin, center } = packed as Record<string, Float32Array>;
      for (let p = 0; p < packed.volume!.length; p++) {
        for (let f = face_start![p]!; f < face_start![p + 1]!; f++) {
          for (let c = 0; c < 3; c++) {
            const v = faces![f * 3 + c]! * 3;
            for (let k = 0; k < 3; k++) position[at * 3 + k] = vertices![v + k]! - center![p * 3 + k]!;
            info[at * 3] = first + p;
            info[at * 3 + 1] = skin![f]!;
            info[at * 3 + 2] = packed.volume!.length;
            at++;
          }
        }
      }
    }
    const geometry = copies === 1 ? new THREE.BufferGeometry() : new THREE.InstancedBufferGeometry();
    if (geometry instanceof THREE.InstancedBufferGeometry) geometry.instanceCount = copies;
    geometry.setAttribute("position", new THREE.BufferAttribute(position, 3));
    geometry.setAttribute("info", new THREE.BufferAttribute(info, 3));
    this.geometries.push(geometry);
    this.materials.forEach((material, k) => {
      const mesh = new THREE.Mesh(geometry, material);
      mesh.frustumCulled = false;
      mesh.renderOrder = k ? 1 : 2;
      this.group.add(mesh);
    });
    this.outlineMaterials.forEach((material, k) => {
      const mesh = new THREE.Mesh(geometry, material);
      mesh.frustumCulled = false;
      mesh.renderOrder = 10 + k;
      this.outlines.add(mesh);
    });
    const pickable = new THREE.Mesh(geometry, this.pickMaterial);
    pickable.frustumCulled = false;
    this.pickScene.add(pickable);
  }

  /** Outlines of cut faces, built when first asked for. */
  showWire(on: boolean): void {
    this.wired = on;
    for (const w of this.wires) {
      this.group.remove(w);
      w.geometry.dispose();
    }
    this.wires = [];
    if (!on) return;
    this.bodies.forEach(({ packed, copies }, k) => {
      const { position, piece } = cutOutline(packed);
      const info = new Float32Array(piece.length * 3);
      piece.forEach((p, i) => info.set([this.first[k]! + p, 0, packed.volume!.length], i * 3));
      const geometry = copies === 1 ? new THREE.BufferGeometry() : new THREE.InstancedBufferGeometry();
      if (geometry instanceof THREE.InstancedBufferGeometry) geometry.instanceCount = copies;
      geometry.setAttribute("position", new THREE.BufferAttribute(position, 3));
      geometry.setAttribute("info", new THREE.BufferAttribute(info, 3));
      const lines = new THREE.LineSegments(geometry, this.wireMaterial);
      lines.frustumCulled = false;
      lines.renderOrder = 3;
      this.wires.push(lines);
      this.group.add(lines);
    });
  }

  /** A piece's place: turn q (4 numbers from ``at``), size of its copy. */
  setTransform(
    piece: number,
    x: number,
    y: number,
    z: number,
    q: ArrayLike<number>,
    at: number,
    state: number,
    size = 1,
  ): void {
    const v = this.values;
    const o = piece * STRIDE;
    const root = Math.sqrt(size);
    v[o] = x;
    v[o + 1] = y;
    v[o + 2] = z;
    v[o + STATE] = state;
    v[o + TURN] = q[at]! * root;
    v[o + TURN + 1] = q[at + 1]! * root;
    v[o + TURN + 2] = q[at + 2]! * root;
    v[o + TURN + 3] = q[at + 3]! * root;
  }

  setColor(piece: number, r: number, g: number, b: number, chosen: boolean): void {
    const o = piece * STRIDE + COLOR;
    this.values[o] = r;
    this.values[o + 1] = g;
    this.values[o + 2] = b;
    this.values[o + MARK] = chosen ? CHOSEN : piece === this.pointed ? POINTED : 0;
  }

  /** Mark the piece under the pointer (-1: none); true if another was before. */
  point(piece: number): boolean {
    if (piece === this.pointed) return false;
    for (const p of [this.pointed, piece]) {
      const o = p * STRIDE + COLOR + MARK;
      if (p >= 0 && p < this.count && this.values[o] !== CHOSEN) this.values[o] = p === piece ? POINTED : 0;
    }
    this.pointed = piece;
    this.changed();
    return true;
  }

  /** Where the middle of a piece is drawn. */
  placeOf(piece: number): Vec {
    return [...this.values.subarray(piece * STRIDE, piece * STRIDE + 3)] as Vec;
  }

  /** The state a piece is drawn in. */
  stateOf(piece: number): number {
    return this.values[piece * STRIDE + STATE]!;
  }

  changed(): void {
    if (this.texture) this.texture.needsUpdate = true;
    let marked = false;
    for (let o = COLOR + MARK; o < this.count * STRIDE && !marked; o += STRIDE) marked = this.values[o]! > 0;
    this.outlines.visible = marked; // nothing is drawn for nothing
  }

  bodyOf(piece: number): number {
    let b = 0;
    while (b + 1 < this.first.length - 1 && piece >= this.first[b + 1]!) b++;
    return b;
  }

  /** The copy of its body a piece is of, and its number within it; null beside all pieces. */
  locate(piece: number): { body: number; copy: number; index: number } | null {
    if (piece < 0 || piece >= this.count) return null;
    const body = this.bodyOf(piece);
    const within = piece - this.first[body]!;
    const each = this.perCopy(body);
    return { body, copy: Math.floor(within / each), index: within % each };
  }

  /** The piece under a pixel (device pixels from the top left), or -1. */
  pick(
    renderer: THREE.WebGLRenderer,
    camera: THREE.PerspectiveCamera,
    x: number,
    y: number,
    width: number,
    height: number,
  ): number {
    if (!this.count && !this.others?.children.length) return -1;
    const target = new THREE.WebGLRenderTarget(1, 1);
    camera.setViewOffset(width, height, x, y, 1, 1);
    renderer.setRenderTarget(target);
    const color = renderer.getClearColor(new THREE.Color());
    const alpha = renderer.getClearAlpha();
    renderer.setClearColor(0, 0);
    renderer.clear();
    if (this.others) this.pickScene.add(this.others);
    renderer.render(this.pickScene, camera);
    const pixel = new Uint8Array(4);
    renderer.readRenderTargetPixels(target, 0, 0, 1, 1, pixel);
    renderer.setRenderTarget(null);
    renderer.setClearColor(color, alpha);
    camera.clearViewOffset();
    target.dispose();
    return pixel[0]! + pixel[1]! * 256 + pixel[2]! * 65536 - 1;
  }

  private clear(): void {
    this.group.clear();
    this.outlines.clear();
    this.pickScene.clear();
    for (const g of this.geometries) g.dispose();
    for (const w of this.wires) w.geometry.dispose();
    this.geometries = [];
    this.wires = [];
  }

  dispose(): void {
    this.clear();
    this.texture?.dispose();
    for (const material of [...this.materials, ...this.outlineMaterials, this.pickMaterial, this.wireMaterial])
      material.dispose();
  }
}
