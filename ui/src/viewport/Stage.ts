/**
 * The three.js side of the view. One owner of renderer, camera and loop; frames are drawn only when something changed.
 */
import CameraControls from "camera-controls";
import * as THREE from "three";
import { TransformControls } from "three/examples/jsm/controls/TransformControls.js";
import type { Layer } from "../api/types";
import type { Vec } from "../lib/rotation";
import { fit } from "./fit";
import { LineLayer } from "./LineLayer";
import { Look, tokenColor } from "./Look";
import { PieceBatch } from "./PieceBatch";
import { SurfaceBatch } from "./SurfaceBatch";
import { ReachShell, type Stood } from "./ReachShell";
import { GROUND_FRAGMENT, GROUND_VERTEX } from "./shaders";

CameraControls.install({ THREE });

export interface Moved {
  position: [number, number, number];
  rotation: [number, number, number, number];
  scale: [number, number, number];
}

/** A layer of a falloff to show. */
export interface Reach {
  key: string;
  layer: Layer;
  color: string;
  chosen: boolean;
  sliced: boolean;
  stood: Stood | null;
}

export interface StageHooks {
  /** a click on a piece (-1: beside all); together: the piece joins or leaves those picked before */
  onPick(piece: number, together: boolean, at: { x: number; y: number }): void;
  /** the pointer rests on a piece (-1: none) */
  onHover(piece: number, at: { x: number; y: number }): void;
  /** the pointer, where it may be a brush; true: it is one, and the camera stays */
  onBrush(phase: "hover" | "begin" | "move" | "end" | "leave", at: { x: number; y: number }): boolean;
  /** a box drawn with Shift held, in CSS pixels of the view; done: it is finished */
  onBox(box: { x: number; y: number; w: number; h: number }, done: boolean): void;
  onMove(moved: Moved, done: boolean): void;
  onCamera(azimuth: number, metresPerPixel: number): void;
}

/** Angles about y, from z towards x, and down from above [rad]. */
export type Direction = readonly [azimuth: number, polar: number];
/** how a shot is looked at when it opens */
export const SLANT: Direction = [0.62, 1.32];

export class Stage {
  readonly renderer: THREE.WebGLRenderer;
  readonly camera = new THREE.PerspectiveCamera(38, 1, 0.05, 4000);
  readonly controls: CameraControls;
  readonly batch: PieceBatch;
  readonly surfaces: SurfaceBatch;
  readonly bonds = new LineLayer(0.85);
  readonly marks = new LineLayer(1);
  readonly ties = new LineLayer(1);
  readonly shapes = new LineLayer(0.55);
  readonly arrows = new LineLayer(0.9);
  /** hovering tells pieces only where someone listens */
  hovering = false;
  private hoverTimer: ReturnType<typeof setTimeout> | undefined;
  private readonly scene = new THREE.Scene();
  private readonly shells = new Map<string, ReachShell>();
  private readonly proxy = new THREE.Object3D();
  private readonly handles: TransformControls;
  private readonly ground: THREE.Mesh;
  private readonly look = new Look();
  private readonly clock = new THREE.Timer();
  private readonly sizes: ResizeObserver;
  /** points that are kept in the picture */
  private unlisten: () => void = () => undefined;
  /** metres between lines of the ground */
  cell = 1;
  private framed: readonly Vec[] | null = null;
  /** the next frame that is asked for; 0 while nothing changes, and nothing is computed */
  private raf = 0;
  private pressed: { x: number; y: number } | null = null;
  private readonly element: HTMLElement;
  private readonly hooks: StageHooks;

  constructor(element: HTMLElement, hooks: StageHooks) {
    this.element = element;
    this.hooks = hooks;
    this.renderer = new THREE.WebGLRenderer({
      antialias: true,
      alpha: true,
      stencil: true,
      powerPreference: "high-performance",
    });
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
    this.renderer.setClearColor(0, 0);
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace; // colours are mixed as they are shown
    element.appendChild(this.renderer.domElement);
    this.controls = new CameraControls(this.camera, this.renderer.domElement);
    const still = matchMedia("(prefers-reduced-motion: reduce)").matches;
    this.controls.smoothTime = still ? 0 : 0.12;
    this.controls.draggingSmoothTime = still ? 0 : 0.05;
    this.controls.dollyToCursor = true;
    this.controls.maxPolarAngle = Math.PI * 0.52;
    this.controls.minDistance = 0.02;
    this.controls.addEventListener("controlstart", () => (this.framed = null));
    for (const name of ["control", "transitionstart"] as const) this.controls.addEventListener(name, this.wake);
    this.batch = new PieceBatch(this.look.uniforms);
    this.surfaces = new SurfaceBatch(this.batch.uniforms);
    this.batch.others = this.surfaces.pickGroup;
    this.scene.add(
      this.batch.group,
      this.surfaces.group,
      this.bonds.object,
      this.marks.object,
      this.ties.object,
      this.shapes.object,
      this.arrows.object,
    );
    this.ground = new THREE.Mesh(
      new THREE.CircleGeometry(1, 64).rotateX(-Math.PI / 2),
      new THREE.ShaderMaterial({
        uniforms: {
          ground: { value: new THREE.Color() },
          line: { value: new THREE.Color() },
          cell: { value: 1 },
          reach: { value: 40 },
          middle: { value: new THREE.Vector3() },
        },
        vertexShader: GROUND_VERTEX,
        fragmentShader: GROUND_FRAGMENT,
        glslVersion: THREE.GLSL3,
        transparent: true,
        depthWrite: false,
      }),
    );
    this.ground.renderOrder = 0;
    this.scene.add(this.ground);
    this.scene.add(this.proxy);
    this.handles = new TransformControls(this.camera, this.renderer.domElement);
    this.handles.size = 0.75;
    this.handles.showXY = this.handles.showYZ = this.handles.showXZ = false; // three rods are enough, and calmer

    this.scene.add(this.handles.getHelper());
    // in steps while Ctrl is held: of a line of the ground, of 15 degrees, of a tenth
    const steps = (event: KeyboardEvent): void => {
      this.handles.setTranslationSnap(event.ctrlKey ? this.cell : null);
      this.handles.setRotationSnap(event.ctrlKey ? Math.PI / 12 : null);
      this.handles.setScaleSnap(event.ctrlKey ? 0.1 : null);
    };
    for (const name of ["keydown", "keyup"] as const) window.addEventListener(name, steps);
    this.unlisten = () => {
      for (const name of ["keydown", "keyup"] as const) window.removeEventListener(name, steps);
    };
    this.handles.addEventListener("dragging-changed", (event) => {
      this.controls.enabled = !event.value;
      if (!event.value) this.report(true);
    });
    this.handles.addEventListener("objectChange", () => this.report(false));
    this.handles.addEventListener("change", () => this.invalidate());
    this.renderer.domElement.addEventListener("pointerdown", this.turnAbout, { capture: true });
    this.renderer.domElement.addEventListener("pointerdown", this.down);
    this.renderer.domElement.addEventListener("pointerup", this.up);
    this.renderer.domElement.addEventListener("pointermove", this.hover);
    this.renderer.domElement.addEventListener("pointerleave", this.leave);
    this.sizes = new ResizeObserver(() => this.resize());
    this.sizes.observe(element);
    this.resize();
    void this.controls.setLookAt(9, 6, 13, 0, 2, 0, false);
    this.wake();
  }

  /** Take the palette from the page's tokens. */
  applyTheme(): void {
    this.look.applyTheme();
    const uniforms = (this.ground.material as THREE.ShaderMaterial).uniforms;
    (uniforms.ground!.value as THREE.Color).copy(tokenColor("--ground"));
    (uniforms.line!.value as THREE.Color).copy(tokenColor("--grid"));
    const chalk = tokenColor("--chalk");
    this.handles.setColors(chalk, chalk, chalk, tokenColor("--accent"));
    this.invalidate();
  }

  /** The ground plane's height, or none; lines every `cell` metres, fading out at `reach`. */
  setGround(on: boolean, height: number, reach: number): void {
    this.ground.visible = on;
    this.ground.position.y = height - 0.002;
    this.ground.scale.setScalar(reach);
    const uniforms = (this.ground.material as THREE.ShaderMaterial).uniforms;
    uniforms.reach!.value = reach;
    this.cell = 10 ** Math.round(Math.log10(reach / 40));
    uniforms.cell!.value = this.cell;
    this.look.setGround(on, height, reach);
    this.camera.near = Math.max(1e-4, reach * 1e-3);
    this.camera.far = reach * 40;
    this.camera.updateProjectionMatrix();
    this.invalidate();
  }

  /** Cut the view open: what lies beyond ``at`` along an axis is not drawn; null shows all. */
  setSection(axis: 0 | 1 | 2 | null, at = 0): void {
    this.look.setSection(axis, at);
    this.invalidate();
  }

  showHeld(on: boolean): void {
    this.look.showHeld(on);
    this.invalidate();
  }

  /**
   * Look at all of these points, from where the camera is or from a direction. Until the camera is moved by hand they
   * stay in the picture, whatever size it has.
   */
  frame(points: readonly Vec[], smooth: boolean, from?: Direction): void {
    if (!points.length) return;
    this.framed = points;
    void this.controls.setFocalOffset(0, 0, 0, smooth);
    const [azimuth, polar] = from ?? [this.controls.azimuthAngle, this.controls.polarAngle];
    const { at, distance } = fit(points, azimuth, polar, (this.camera.fov * Math.PI) / 180, this.camera.aspect);
    void this.controls.rotateTo(azimuth, polar, smooth);
    void this.controls.moveTo(...at, smooth);
    void this.controls.dollyTo(distance, smooth);
  }

  /** Turn the camera round what it looks at. */
  lookFrom([azimuth, polar]: Direction): void {
    void this.controls.rotateTo(azimuth, polar, true);
  }

  /** Where the camera stands and what it looks at, to come back to. */
  get view(): number[] {
    return [...this.controls.getPosition(new THREE.Vector3()), ...this.controls.getTarget(new THREE.Vector3())];
  }

  set view(place: number[]) {
    this.framed = null;
    const [x, y, z, tx, ty, tz] = place as [number, number, number, number, number, number];
    void this.controls.setFocalOffset(0, 0, 0, true);
    void this.controls.setLookAt(x, y, z, tx, ty, tz, true);
  }

  /** Show layers of falloffs; those shown before and not named now are taken away. */
  setReaches(reaches: readonly Reach[]): void {
    const wanted = new Set(reaches.map((r) => r.key));
    for (const [key, shell] of this.shells) {
      if (wanted.has(key)) continue;
      this.scene.remove(shell.group);
      shell.dispose();
      this.shells.delete(key);
    }
    for (const reach of reaches) {
      let shell = this.shells.get(reach.key);
      if (!shell) {
        shell = new ReachShell();
        this.shells.set(reach.key, shell);
        this.scene.add(shell.group);
      }
      const token = /var\((--[a-z]+)\)/.exec(reach.color)?.[1] ?? "--chalk";
      shell.update(reach.layer, tokenColor(token), reach.chosen, reach.sliced, reach.stood);
    }
    this.invalidate();
  }

  /** whether the handles are being dragged */
  get dragging(): boolean {
    return this.handles.dragging;
  }

  /** Put the handles on something at a place, or take them away. */
  setHandles(place: Moved | null, mode: "translate" | "rotate" | "scale", space: "world" | "local" = "world"): void {
    if (!place) {
      this.handles.detach();
      this.invalidate();
      return;
    }
    if (!this.handles.dragging) {
      this.proxy.position.set(...place.position);
      this.proxy.quaternion.set(...place.rotation);
      this.proxy.scale.set(...place.scale);
      this.proxy.updateMatrixWorld(true);
    }
    this.handles.setMode(mode);
    this.handles.setSpace(mode === "scale" ? "local" : space);
    if (this.handles.object !== this.proxy) this.handles.attach(this.proxy);
    this.invalidate();
  }

  private report(done: boolean): void {
    const { position: p, quaternion: q, scale: s } = this.proxy;
    const positive = (x: number): number => Math.max(1e-4, Math.abs(x));
    this.hooks.onMove(
      {
        position: [p.x, p.y, p.z],
        rotation: [q.x, q.y, q.z, q.w],
        scale: [positive(s.x), positive(s.y), positive(s.z)],
      },
      done,
    );
  }

  /** Turning goes round what is under the pointer. */
  private readonly turnAbout = (event: PointerEvent): void => {
    if (this.brush || event.button !== 0 || event.shiftKey || this.handles.axis) return;
    const piece = this.pieceAt(event);
    if (piece >= 0) this.controls.setOrbitPoint(...this.placeOf(piece));
  };

  private brush = false;

  private readonly down = (event: PointerEvent): void => {
    if (event.button === 0 && this.hooks.onBrush("begin", this.point(event))) {
      this.brush = true;
      this.controls.enabled = false;
      this.pressed = null;
      this.renderer.domElement.setPointerCapture(event.pointerId);
      return;
    }
    this.pressed =
      event.button === 0 && !this.handles.dragging && !this.handles.axis
        ? { x: event.clientX, y: event.clientY }
        : null;
    if (this.pressed && event.shiftKey) {
      this.controls.enabled = false;
      this.boxing = true;
    }
  };

  private boxing = false;

  private box(event: PointerEvent): { x: number; y: number; w: number; h: number } {
    const rect = this.renderer.domElement.getBoundingClientRect();
    const from = this.pressed!;
    return {
      x: Math.min(from.x, event.clientX) - rect.left,
      y: Math.min(from.y, event.clientY) - rect.top,
      w: Math.abs(event.clientX - from.x),
      h: Math.abs(event.clientY - from.y),
    };
  }

  private pieceAt(event: PointerEvent): number {
    return this.pieceUnder(this.point(event));
  }

  /** The piece drawn at a point of the view (CSS pixels from its corner), -1: none. */
  pieceUnder(at: { x: number; y: number }): number {
    const rect = this.renderer.domElement.getBoundingClientRect();
    const scale = this.renderer.getPixelRatio();
    return this.batch.pick(
      this.renderer,
      this.camera,
      at.x * scale,
      at.y * scale,
      rect.width * scale,
      rect.height * scale,
    );
  }

  /** Where an event is, in CSS pixels of the view. */
  private point(event: PointerEvent): { x: number; y: number } {
    const rect = this.renderer.domElement.getBoundingClientRect();
    return { x: event.clientX - rect.left, y: event.clientY - rect.top };
  }

  private readonly hover = (event: PointerEvent): void => {
    if (this.hooks.onBrush(this.brush ? "move" : "hover", this.point(event)) && this.brush) return;
    if (this.boxing && this.pressed) return this.hooks.onBox(this.box(event), false);
    if (!this.hovering || event.buttons) return;
    clearTimeout(this.hoverTimer);
    this.hoverTimer = setTimeout(() => {
      const piece = this.pieceAt(event);
      this.batch.point(piece);
      this.hooks.onHover(piece, this.point(event));
      this.invalidate();
    }, 60);
  };

  private readonly leave = (): void => {
    clearTimeout(this.hoverTimer);
    if (!this.brush) this.hooks.onBrush("leave", { x: 0, y: 0 });
    if (!this.hovering) return;
    if (this.batch.point(-1)) this.invalidate();
    this.hooks.onHover(-1, { x: 0, y: 0 });
  };

  private readonly up = (event: PointerEvent): void => {
    if (this.brush) {
      this.brush = false;
      this.controls.enabled = true;
      this.hooks.onBrush("end", this.point(event));
      return;
    }
    const boxed = this.boxing;
    if (boxed) {
      this.boxing = false;
      this.controls.enabled = true;
    }
    if (!this.pressed) return;
    if (Math.hypot(event.clientX - this.pressed.x, event.clientY - this.pressed.y) > 4) {
      if (boxed) this.hooks.onBox(this.box(event), true);
      this.pressed = null;
      return;
    }
    this.pressed = null;
    this.hooks.onPick(this.pieceAt(event), event.shiftKey, this.point(event));
    this.invalidate();
  };

  /** Where the middle of a piece is drawn; of what deforms, by the numbers after those of pieces, a vertex of it. */
  placeOf(piece: number): Vec {
    const k = piece - this.batch.count;
    return k < 0 ? this.batch.placeOf(piece) : this.surfaces.placeOf(k, this.surfaces.verticesOf(k) >> 1);
  }

  /** Where a world point is on the screen, in CSS pixels from the view's corner; null behind the camera. */
  project(x: number, y: number, z: number): { x: number; y: number } | null {
    const v = new THREE.Vector3(x, y, z).project(this.camera);
    if (v.z > 1) return null;
    return { x: ((v.x + 1) / 2) * this.element.clientWidth, y: ((1 - v.y) / 2) * this.element.clientHeight };
  }

  /** Metres to a pixel of the picture at a point. */
  metresAt(at: Vec): number {
    const far = this.camera.position.distanceTo(new THREE.Vector3(...at));
    return (2 * far * Math.tan((this.camera.fov * Math.PI) / 360)) / Math.max(1, this.element.clientHeight);
  }

  /** Where the rods of the handles end on the screen, by their axes; none without handles. */
  handleTips(): { axis: string; x: number; y: number }[] {
    if (!this.handles.object) return [];
    const at = this.proxy.getWorldPosition(new THREE.Vector3());
    const far = at.distanceTo(this.camera.position);
    const length = 0.155 * far * Math.tan((this.camera.fov * Math.PI) / 360) * this.handles.size * 2.05;
    const turn = this.handles.space === "local" ? this.proxy.quaternion : new THREE.Quaternion();
    return ["x", "y", "z"].flatMap((axis, k) => {
      const tip = new THREE.Vector3().setComponent(k, length).applyQuaternion(turn).add(at);
      const seen = this.project(tip.x, tip.y, tip.z);
      return seen ? [{ axis, ...seen }] : [];
    });
  }

  /** Of the view, in CSS pixels. */
  get extent(): { width: number; height: number } {
    return { width: this.element.clientWidth, height: this.element.clientHeight };
  }

  /** The ray through a point of the view (CSS pixels from its corner): origin and unit direction. */
  ray(x: number, y: number): { origin: [number, number, number]; along: [number, number, number] } {
    const far = new THREE.Vector3(
      (2 * x) / this.element.clientWidth - 1,
      1 - (2 * y) / this.element.clientHeight,
      0.5,
    ).unproject(this.camera);
    const along = far.sub(this.camera.position).normalize();
    return {
      origin: this.camera.position.toArray() as [number, number, number],
      along: along.toArray() as [number, number, number],
    };
  }

  private resize(): void {
    const { clientWidth: w, clientHeight: h } = this.element;
    if (!w || !h) return;
    this.renderer.setSize(w, h);
    (this.batch.uniforms.viewport!.value as THREE.Vector2).set(w, h);
    this.camera.aspect = w / h;
    this.camera.updateProjectionMatrix();
    if (this.framed) this.frame(this.framed, false);
    this.draw();
  }

  invalidate(): void {
    this.wake();
  }

  /** Draw at the next frame, and go on while the camera moves. */
  private readonly wake = (): void => {
    if (this.raf) return;
    this.clock.update(); // what was slept through is not made up for
    this.raf = requestAnimationFrame(this.tick);
  };

  private readonly tick = (): void => {
    this.raf = 0;
    this.clock.update();
    if (this.controls.update(Math.max(1e-3, this.clock.getDelta()))) this.wake(); // it divides by the time passed
    this.draw();
  };

  private draw(): void {
    for (const shell of this.shells.values()) shell.face(this.camera);
    const target = this.controls.getTarget(new THREE.Vector3());
    ((this.ground.material as THREE.ShaderMaterial).uniforms.middle!.value as THREE.Vector3).copy(target);
    this.ground.position.x = target.x;
    this.ground.position.z = target.z;
    this.renderer.render(this.scene, this.camera);
    const distance = this.camera.position.distanceTo(target);
    this.hooks.onCamera(
      this.controls.azimuthAngle,
      (2 * distance * Math.tan((this.camera.fov * Math.PI) / 360)) / Math.max(1, this.element.clientHeight),
    );
  }

  dispose(): void {
    cancelAnimationFrame(this.raf);
    this.unlisten();
    this.sizes.disconnect();
    this.renderer.domElement.removeEventListener("pointerdown", this.turnAbout, { capture: true });
    this.renderer.domElement.removeEventListener("pointerdown", this.down);
    this.renderer.domElement.removeEventListener("pointerup", this.up);
    this.renderer.domElement.removeEventListener("pointermove", this.hover);
    this.renderer.domElement.removeEventListener("pointerleave", this.leave);
    clearTimeout(this.hoverTimer);
    this.bonds.dispose();
    this.marks.dispose();
    this.ties.dispose();
    this.shapes.dispose();
    this.arrows.dispose();
    for (const shell of this.shells.values()) shell.dispose();
    this.handles.dispose();
    this.batch.dispose();
    this.surfaces.dispose();
    this.controls.dispose();
    this.renderer.dispose();
    this.renderer.domElement.remove();
  }
}
