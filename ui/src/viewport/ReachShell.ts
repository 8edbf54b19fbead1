/** A field's reach in the view: a line shell at the core, one at the edge, and a shaded slice between. */
import * as THREE from "three";
import type { FieldItem, ReachShape } from "../api/types";
import { layerOf } from "../lib/document";
import { SLICE_FRAGMENT, SLICE_VERTEX } from "./shaders";

const PROFILES = ["linear", "smooth", "sharp", "round"];

function circle(radius: number, axis: number, segments = 72): number[] {
  const out: number[] = [];
  for (let k = 0; k < segments; k++) {
    for (const s of [k, k + 1]) {
      const a = (s / segments) * Math.PI * 2;
      const p = [0, 0, 0];
      p[(axis + 1) % 3] = radius * Math.cos(a);
      p[(axis + 2) % 3] = radius * Math.sin(a);
      out.push(p[0]!, p[1]!, p[2]!);
    }
  }
  return out;
}

function boxLines(size: number[], grow: number): number[] {
  const h = size.map((s) => s / 2 + grow);
  const out: number[] = [];
  for (let axis = 0; axis < 3; axis++) {
    for (const u of [-1, 1]) {
      for (const v of [-1, 1]) {
        for (const s of [-1, 1]) {
          const p = [0, 0, 0];
          p[axis] = s * h[axis]!;
          p[(axis + 1) % 3] = u * h[(axis + 1) % 3]!;
          p[(axis + 2) % 3] = v * h[(axis + 2) % 3]!;
          out.push(p[0]!, p[1]!, p[2]!);
        }
      }
    }
  }
  return out;
}

function planeLines(size: number, at: number): number[] {
  const out: number[] = [];
  const h = size / 2;
  for (const [a, b] of [[-1, -1], [1, -1], [1, 1], [-1, 1]].map((p, k, all) => [p, all[(k + 1) % 4]!])) out.push(a![0]! * h, at, a![1]! * h, b![0]! * h, at, b![1]! * h);
  return out;
}

export class ReachShell {
  readonly group = new THREE.Group();
  private readonly core: THREE.LineSegments;
  private readonly edge: THREE.LineSegments;
  private readonly slice: THREE.Mesh;
  private readonly uniforms = {
    tint: { value: new THREE.Color() }, shapeKind: { value: 0 }, profile: { value: 1 }, core: { value: new THREE.Vector3() }, edge: { value: 0 },
    inverted: { value: 0 }, toInside: { value: new THREE.Matrix4() },
  };
  private shape: ReachShape | null = null;
  outer = 1;

  constructor() {
    const lines = (dashed: boolean): THREE.LineSegments =>
      new THREE.LineSegments(new THREE.BufferGeometry(), dashed ? new THREE.LineDashedMaterial({ dashSize: 0.12, gapSize: 0.1, transparent: true, depthTest: false }) : new THREE.LineBasicMaterial({ transparent: true, depthTest: false }));
    this.core = lines(true);
    this.edge = lines(false);
    this.slice = new THREE.Mesh(
      new THREE.PlaneGeometry(1, 1),
      new THREE.ShaderMaterial({ uniforms: this.uniforms, vertexShader: SLICE_VERTEX, fragmentShader: SLICE_FRAGMENT, glslVersion: THREE.GLSL3, transparent: true, depthWrite: false, depthTest: false, side: THREE.DoubleSide }),
    );
    for (const thing of [this.core, this.edge, this.slice]) {
      thing.renderOrder = 10;
      thing.frustumCulled = false;
      this.group.add(thing);
    }
  }

  /** Show a field's reach in a colour; faint where it is not the chosen one. */
  update(field: FieldItem, color: THREE.Color, chosen: boolean): void {
    const layer = layerOf(field);
    const shape = (this.shape = layer.shape);
    const edge = shape.edge ?? 0;
    let coreLines: number[];
    let edgeLines: number[];
    if (shape.kind === "sphere") {
      const r = shape.core ?? 1;
      coreLines = [0, 1, 2].flatMap((a) => circle(r, a));
      edgeLines = [0, 1, 2].flatMap((a) => circle(r + edge, a));
      this.outer = r + edge;
      this.uniforms.core.value.set(r, r, r);
      this.uniforms.shapeKind.value = 0;
    } else if (shape.kind === "box") {
      const size = (shape.core ?? [1, 1, 1]) as number[];
      coreLines = boxLines(size, 0);
      edgeLines = edge > 0 ? boxLines(size, edge) : [];
      this.outer = Math.hypot(...size) / 2 + edge;
      this.uniforms.core.value.set(size[0]!, size[1]!, size[2]!);
      this.uniforms.shapeKind.value = 1;
    } else {
      coreLines = planeLines(8, 0);
      edgeLines = edge > 0 ? planeLines(8, edge) : [];
      this.outer = 5;
      this.uniforms.shapeKind.value = 2;
    }
    this.uniforms.edge.value = edge;
    this.uniforms.profile.value = typeof layer.profile === "string" ? PROFILES.indexOf(layer.profile) : 1;
    this.uniforms.inverted.value = layer.invert ? 1 : 0;
    this.uniforms.tint.value.copy(color);
    for (const [line, points] of [[this.core, coreLines], [this.edge, edgeLines]] as [THREE.LineSegments, number[]][]) {
      line.geometry.dispose();
      line.geometry = new THREE.BufferGeometry();
      line.geometry.setAttribute("position", new THREE.Float32BufferAttribute(points, 3));
      line.computeLineDistances();
      const material = line.material as THREE.LineBasicMaterial;
      material.color.copy(color);
      material.opacity = (chosen ? 0.95 : 0.4) * (line === this.core ? 0.8 : 1);
    }
    const dashed = this.core.material as THREE.LineDashedMaterial;
    dashed.dashSize = this.outer * 0.06;
    dashed.gapSize = this.outer * 0.05;
    this.group.position.set(...((shape.center ?? [0, 0, 0]) as [number, number, number]));
    if (shape.kind === "box") this.group.quaternion.set(...((shape.rotation ?? [0, 0, 0, 1]) as [number, number, number, number]));
    else if (shape.kind === "plane") this.group.quaternion.setFromUnitVectors(new THREE.Vector3(0, 1, 0), new THREE.Vector3(...((shape.normal ?? [0, 1, 0]) as [number, number, number])).normalize());
    else this.group.quaternion.identity();
    this.slice.visible = chosen;
    this.group.updateMatrixWorld(true);
  }

  /** Turn the slice to the camera, upright. */
  face(camera: THREE.Camera): void {
    if (!this.slice.visible || !this.shape) return;
    const to = camera.position.clone().sub(this.group.position);
    const world = new THREE.Quaternion().setFromAxisAngle(new THREE.Vector3(0, 1, 0), Math.atan2(to.x, to.z));
    this.slice.quaternion.copy(this.group.quaternion.clone().invert().multiply(world));
    this.slice.scale.setScalar(this.outer * 2.02);
    this.uniforms.toInside.value.copy(new THREE.Matrix4().compose(this.group.position, this.group.quaternion, new THREE.Vector3(1, 1, 1))).invert();
  }

  dispose(): void {
    for (const thing of [this.core, this.edge, this.slice]) {
      thing.geometry.dispose();
      (thing.material as THREE.Material).dispose();
    }
  }
}
