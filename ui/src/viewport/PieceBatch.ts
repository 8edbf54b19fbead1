/** All pieces of all bodies as one mesh; what moves is a small texture of transforms and colours. */
import * as THREE from "three";
import type { Packed } from "../api/packed";
import { PICK_FRAGMENT, PICK_VERTEX, PIECE_FRAGMENT, PIECE_VERTEX, SHADOW_FRAGMENT, SHADOW_VERTEX } from "./shaders";

const WIDTH = 1536; // three texels a piece, never broken over two rows

export interface BatchBody {
  name: string;
  packed: Packed;
}

export class PieceBatch {
  readonly group = new THREE.Group();
  readonly uniforms: Record<string, THREE.IUniform>;
  count = 0;
  /** first piece of each body, and the total at the end */
  first: number[] = [0];
  names: string[] = [];
  /** centres of mass in the body's frame, all pieces */
  center = new Float32Array(0);
  volume = new Float32Array(0);
  values = new Float32Array(0);
  private texture: THREE.DataTexture | null = null;
  private geometry: THREE.BufferGeometry | null = null;
  private readonly meshes: THREE.Mesh[] = [];
  private readonly pickMaterial: THREE.ShaderMaterial;

  constructor(uniforms: Record<string, THREE.IUniform>) {
    this.uniforms = { ...uniforms, data: { value: null }, dataWidth: { value: WIDTH } };
    const shader = (vertexShader: string, fragmentShader: string, more: THREE.ShaderMaterialParameters = {}): THREE.ShaderMaterial =>
      new THREE.ShaderMaterial({ uniforms: this.uniforms, vertexShader, fragmentShader, glslVersion: THREE.GLSL3, side: THREE.DoubleSide, ...more });
    const stencil: THREE.ShaderMaterialParameters = {
      transparent: true, depthWrite: false, stencilWrite: true, stencilFunc: THREE.EqualStencilFunc, stencilRef: 0, stencilZPass: THREE.IncrementStencilOp,
    };
    const materials = [shader(PIECE_VERTEX, PIECE_FRAGMENT), shader(SHADOW_VERTEX, SHADOW_FRAGMENT, stencil)];
    this.pickMaterial = shader(PICK_VERTEX, PICK_FRAGMENT);
    materials.forEach((material, k) => {
      const mesh = new THREE.Mesh(new THREE.BufferGeometry(), material);
      mesh.frustumCulled = false;
      mesh.renderOrder = k ? 1 : 2;
      this.meshes.push(mesh);
      this.group.add(mesh);
    });
  }

  /** Take on new bodies. Pieces are numbered through, body after body. */
  setBodies(bodies: BatchBody[]): void {
    let corners = 0;
    this.first = [0];
    for (const { packed } of bodies) {
      corners += packed.faces!.length;
      this.first.push(this.first.at(-1)! + packed.volume!.length);
    }
    this.names = bodies.map((b) => b.name);
    this.count = this.first.at(-1)!;
    const position = new Float32Array(corners * 3);
    const info = new Float32Array(corners * 2);
    this.center = new Float32Array(this.count * 3);
    this.volume = new Float32Array(this.count);
    let at = 0;
    bodies.forEach(({ packed }, b) => {
      const { vertices, faces, face_start, skin, center } = packed as Record<string, Float32Array>;
      const first = this.first[b]!;
      this.center.set(center!, first * 3);
      this.volume.set(packed.volume!, first);
      for (let p = 0; p < packed.volume!.length; p++) {
        for (let f = face_start![p]!; f < face_start![p + 1]!; f++) {
          for (let c = 0; c < 3; c++) {
            const v = faces![f * 3 + c]! * 3;
            for (let k = 0; k < 3; k++) position[at * 3 + k] = vertices![v + k]! - center![p * 3 + k]!;
            info[at * 2] = first + p;
            info[at * 2 + 1] = skin![f]!;
            at++;
          }
        }
      }
    });
    this.geometry?.dispose();
    this.geometry = new THREE.BufferGeometry();
    this.geometry.setAttribute("position", new THREE.BufferAttribute(position, 3));
    this.geometry.setAttribute("info", new THREE.BufferAttribute(info, 2));
    for (const mesh of this.meshes) mesh.geometry = this.geometry;
    const rows = Math.max(1, Math.ceil((this.count * 3) / WIDTH));
    this.texture?.dispose();
    this.values = new Float32Array(rows * WIDTH * 4);
    this.texture = new THREE.DataTexture(this.values, WIDTH, rows, THREE.RGBAFormat, THREE.FloatType);
    this.texture.needsUpdate = true;
    this.uniforms.data!.value = this.texture;
  }

  setTransform(piece: number, x: number, y: number, z: number, q: ArrayLike<number>, at: number, state: number): void {
    const v = this.values;
    const o = piece * 12;
    v[o] = x;
    v[o + 1] = y;
    v[o + 2] = z;
    v[o + 3] = state;
    v[o + 4] = q[at]!;
    v[o + 5] = q[at + 1]!;
    v[o + 6] = q[at + 2]!;
    v[o + 7] = q[at + 3]!;
  }

  setColor(piece: number, r: number, g: number, b: number, chosen: boolean): void {
    const o = piece * 12 + 8;
    this.values[o] = r;
    this.values[o + 1] = g;
    this.values[o + 2] = b;
    this.values[o + 3] = chosen ? 1 : 0;
  }

  changed(): void {
    if (this.texture) this.texture.needsUpdate = true;
  }

  bodyOf(piece: number): number {
    let b = 0;
    while (b + 1 < this.first.length - 1 && piece >= this.first[b + 1]!) b++;
    return b;
  }

  /** The piece under a pixel (device pixels from the top left), or -1. */
  pick(renderer: THREE.WebGLRenderer, camera: THREE.PerspectiveCamera, x: number, y: number, width: number, height: number): number {
    if (!this.count) return -1;
    const target = new THREE.WebGLRenderTarget(1, 1);
    const scene = new THREE.Scene();
    const mesh = new THREE.Mesh(this.geometry!, this.pickMaterial);
    mesh.frustumCulled = false;
    scene.add(mesh);
    camera.setViewOffset(width, height, x, y, 1, 1);
    renderer.setRenderTarget(target);
    const color = renderer.getClearColor(new THREE.Color());
    const alpha = renderer.getClearAlpha();
    renderer.setClearColor(0, 0);
    renderer.clear();
    renderer.render(scene, camera);
    const pixel = new Uint8Array(4);
    renderer.readRenderTargetPixels(target, 0, 0, 1, 1, pixel);
    renderer.setRenderTarget(null);
    renderer.setClearColor(color, alpha);
    camera.clearViewOffset();
    target.dispose();
    return pixel[0]! + pixel[1]! * 256 + pixel[2]! * 65536 - 1;
  }

  dispose(): void {
    this.geometry?.dispose();
    this.texture?.dispose();
    for (const mesh of this.meshes) (mesh.material as THREE.Material).dispose();
    this.pickMaterial.dispose();
  }
}
