/** One layer of a falloff in the view: a line shell at the core, one at the edge, and a shaded slice between. */
import * as THREE from "three";
import type { Layer } from "../api/types";
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
  for (const [a, b] of [
    [-1, -1],
    [1, -1],
    [1, 1],
    [-1, 1],
  ].map((p, k, all) => [p, all[(k + 1) % 4]!]))
    out.push(a![0]! * h, at, a![1]! * h, b![0]! * h, at, b![1]! * h);
  return out;
}

type Shape = Record<string, unknown> & { kind: string };
const KINDS = ["sphere", "box", "plane", "cylinder", "capsule", "cone", "torus"];

/** A circle about the y axis at a height. */
const hoop = (radius: number, y: number): number[] =>
  circle(Math.max(0, radius), 1).map((v, k) => (k % 3 === 1 ? y : v));

/** Lines of a shape in its own frame, grown by so much. */
function lines(shape: Shape, grow: number): number[] {
  const core = shape.core as number;
  const h = ((shape.height as number) ?? 0) / 2;
  if (shape.kind === "sphere") return [0, 1, 2].flatMap((a) => circle(core + grow, a));
  if (shape.kind === "box") return boxLines(shape.core as number[], grow);
  if (shape.kind === "plane") return planeLines(8, grow);
  if (shape.kind === "torus") {
    const ring = shape.ring as number;
    const tube = Array.from({ length: 8 }, (_, k) =>
      circle(core + grow, 2, 28).map((_, i, all) => {
        const a = (k * Math.PI) / 4;
        const [x, y] = [all[i - (i % 3)]! + ring, all[i - (i % 3) + 1]!];
        return i % 3 === 0 ? x * Math.cos(a) : i % 3 === 1 ? y : x * Math.sin(a);
      }),
    ).flat();
    return [...hoop(ring + core + grow, 0), ...hoop(ring - core - grow, 0), ...tube];
  }
  const sides = (bottom: number, top: number, lo: number, hi: number): number[] =>
    Array.from({ length: 8 }, (_, k) => [
      bottom * Math.cos((k * Math.PI) / 4),
      lo,
      bottom * Math.sin((k * Math.PI) / 4),
      top * Math.cos((k * Math.PI) / 4),
      hi,
      top * Math.sin((k * Math.PI) / 4),
    ]).flat();
  if (shape.kind === "cylinder")
    return [
      ...hoop(core + grow, -h - grow),
      ...hoop(core + grow, h + grow),
      ...sides(core + grow, core + grow, -h - grow, h + grow),
    ];
  if (shape.kind === "cone") {
    const slope = Math.hypot(core, 2 * h) / (2 * h);
    return [
      ...hoop(core + grow * slope, -h - grow),
      ...hoop((core + grow * slope) / 2, 0),
      ...sides(core + grow * slope, 0, -h - grow, h + grow),
    ];
  }
  if (shape.kind === "capsule") {
    const half = (axis: number): number[] =>
      circle(core + grow, axis).map((v, k, all) => (k % 3 === 1 ? v + (all[k - (k % 3) + 1]! >= 0 ? 1 : -1) * h : v));
    return [
      ...hoop(core + grow, -h),
      ...hoop(core + grow, h),
      ...half(0),
      ...half(2),
      ...sides(core + grow, core + grow, -h, h),
    ];
  }
  return [];
}

export interface Stood {
  turn: number[];
  shift: [number, number, number];
}

export class ReachShell {
  readonly group = new THREE.Group();
  private readonly core: THREE.LineSegments;
  private readonly edge: THREE.LineSegments;
  private readonly slice: THREE.Mesh;
  private readonly uniforms = {
    tint: { value: new THREE.Color() },
    shapeKind: { value: 0 },
    profile: { value: 1 },
    core: { value: new THREE.Vector3() },
    edge: { value: 0 },
    inverted: { value: 0 },
    toInside: { value: new THREE.Matrix4() },
  };
  private drawn = false;
  outer = 1;

  constructor() {
    const lines = (dashed: boolean): THREE.LineSegments =>
      new THREE.LineSegments(
        new THREE.BufferGeometry(),
        dashed
          ? new THREE.LineDashedMaterial({ dashSize: 0.12, gapSize: 0.1, transparent: true, depthTest: false })
          : new THREE.LineBasicMaterial({ transparent: true, depthTest: false }),
      );
    this.core = lines(true);
    this.edge = lines(false);
    this.slice = new THREE.Mesh(
      new THREE.PlaneGeometry(1, 1),
      new THREE.ShaderMaterial({
        uniforms: this.uniforms,
        vertexShader: SLICE_VERTEX,
        fragmentShader: SLICE_FRAGMENT,
        glslVersion: THREE.GLSL3,
        transparent: true,
        depthWrite: false,
        depthTest: false,
        side: THREE.DoubleSide,
      }),
    );
    for (const thing of [this.core, this.edge, this.slice]) {
      thing.renderOrder = 10;
      thing.frustumCulled = false;
      this.group.add(thing);
    }
  }

  /**
   * Show a layer in a colour; faint where it is not of the chosen field, with its slice where it is the chosen layer.
   */
  update(layer: Layer, color: THREE.Color, chosen: boolean, sliced: boolean, stood: Stood | null): void {
    const shape = layer.shape as unknown as Shape;
    const edge = (shape.edge as number | undefined) ?? 0;
    this.drawn = KINDS.includes(shape.kind);
    const coreLines = this.drawn ? lines(shape, 0) : [];
    const edgeLines = this.drawn && edge > 0 ? lines(shape, edge) : [];
    const core = shape.core as number;
    this.outer =
      shape.kind === "box"
        ? Math.hypot(...(shape.core as number[])) / 2 + edge
        : shape.kind === "plane"
          ? 5
          : shape.kind === "torus"
            ? (shape.ring as number) + core + edge
            : Math.hypot(core + edge, ((shape.height as number) ?? 0) / 2 + edge);
    if (shape.kind === "box") this.uniforms.core.value.set(...(shape.core as [number, number, number]));
    else
      this.uniforms.core.value.set(
        shape.kind === "torus" ? (shape.ring as number) : core,
        shape.kind === "torus" ? core : ((shape.height as number) ?? 0),
        0,
      );
    this.uniforms.shapeKind.value = Math.max(0, KINDS.indexOf(shape.kind));
    this.uniforms.edge.value = edge;
    this.uniforms.profile.value = typeof layer.profile === "string" ? PROFILES.indexOf(layer.profile) : 1;
    this.uniforms.inverted.value = layer.invert ? 1 : 0;
    this.uniforms.tint.value.copy(color);
    for (const [line, points] of [
      [this.core, coreLines],
      [this.edge, edgeLines],
    ] as [THREE.LineSegments, number[]][]) {
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
    if (shape.kind === "plane")
      this.group.quaternion.setFromUnitVectors(
        new THREE.Vector3(0, 1, 0),
        new THREE.Vector3(...((shape.normal ?? [0, 1, 0]) as [number, number, number])).normalize(),
      );
    else this.group.quaternion.set(...((shape.rotation ?? [0, 0, 0, 1]) as [number, number, number, number]));
    if (stood) {
      const t = stood.turn;
      const m = new THREE.Matrix4().set(
        t[0]!,
        t[1]!,
        t[2]!,
        stood.shift[0],
        t[3]!,
        t[4]!,
        t[5]!,
        stood.shift[1],
        t[6]!,
        t[7]!,
        t[8]!,
        stood.shift[2],
        0,
        0,
        0,
        1,
      );
      this.group.position.applyMatrix4(m);
      this.group.quaternion.premultiply(new THREE.Quaternion().setFromRotationMatrix(m));
    }
    this.slice.visible = sliced && this.drawn;
    this.group.updateMatrixWorld(true);
  }

  /** Turn the slice to the camera, upright. */
  face(camera: THREE.Camera): void {
    if (!this.slice.visible) return;
    const to = camera.position.clone().sub(this.group.position);
    const world = new THREE.Quaternion().setFromAxisAngle(new THREE.Vector3(0, 1, 0), Math.atan2(to.x, to.z));
    this.slice.quaternion.copy(this.group.quaternion.clone().invert().multiply(world));
    this.slice.scale.setScalar(this.outer * 2.02);
    this.uniforms.toInside.value
      .copy(new THREE.Matrix4().compose(this.group.position, this.group.quaternion, new THREE.Vector3(1, 1, 1)))
      .invert();
  }

  dispose(): void {
    for (const thing of [this.core, this.edge, this.slice]) {
      thing.geometry.dispose();
      (thing.material as THREE.Material).dispose();
    }
  }
}
