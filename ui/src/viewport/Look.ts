/** How what is shown is lit and coloured: the uniforms every material of the view shares, by the page's theme. */
import * as THREE from "three";
import { hexColor } from "../lib/ramp";

const KEY = new THREE.Vector3(0.55, 0.75, 0.42).normalize();

/** A colour of the page's tokens, as three.js has it. */
export function tokenColor(name: string): THREE.Color {
  return new THREE.Color(...hexColor(getComputedStyle(document.documentElement).getPropertyValue(name).trim()));
}

export class Look {
  readonly uniforms: Record<string, THREE.IUniform> = {
    sky: { value: new THREE.Color() },
    earth: { value: new THREE.Color() },
    key: { value: KEY },
    keyColor: { value: new THREE.Color() },
    accent: { value: new THREE.Color() },
    haze: { value: new THREE.Color() },
    hazeFar: { value: 120 },
    showHeld: { value: 0 },
    heldLines: { value: 3 },
    heldColor: { value: new THREE.Color() },
    shade: { value: new THREE.Color() },
    strength: { value: 0.5 },
    groundHeight: { value: 0 },
    section: { value: new THREE.Vector4(0, 0, 0, 1e9) },
    pointed: { value: new THREE.Color() },
    casing: { value: new THREE.Color() },
    wireColor: { value: new THREE.Color() },
  };

  /** Take the palette from the page's tokens. */
  applyTheme(): void {
    const dark = document.documentElement.dataset.theme !== "light";
    const set = (name: string, value: THREE.Color): void => {
      (this.uniforms[name]!.value as THREE.Color).copy(value);
    };
    set("sky", dark ? new THREE.Color(0.42, 0.47, 0.5) : new THREE.Color(0.62, 0.66, 0.68));
    set("earth", dark ? new THREE.Color(0.13, 0.15, 0.16) : new THREE.Color(0.36, 0.37, 0.37));
    set("keyColor", dark ? new THREE.Color(0.62, 0.58, 0.5) : new THREE.Color(0.45, 0.43, 0.38));
    set("accent", tokenColor("--accent"));
    set("heldColor", tokenColor("--lichen"));
    set("pointed", new THREE.Color(1, 1, 1));
    set("casing", new THREE.Color(0.02, 0.05, 0.06));
    set("wireColor", dark ? new THREE.Color(0.93, 0.95, 0.92) : new THREE.Color(0.08, 0.12, 0.13));
    set("haze", tokenColor("--view-bottom"));
    set("shade", dark ? new THREE.Color(0.01, 0.02, 0.02) : new THREE.Color(0.2, 0.25, 0.25));
    this.uniforms.strength!.value = dark ? 0.55 : 0.35;
  }

  /** Shadows fall on the ground at a height, none without it; haze and marks by how far the ground reaches [m]. */
  setGround(on: boolean, height: number, reach: number): void {
    this.uniforms.groundHeight!.value = on ? height : -1e6;
    this.uniforms.hazeFar!.value = reach * 4;
    this.uniforms.heldLines!.value = 130 / reach;
  }

  /** What lies beyond ``at`` along an axis is not drawn; null shows all. */
  setSection(axis: 0 | 1 | 2 | null, at: number): void {
    const plane = this.uniforms.section!.value as THREE.Vector4;
    plane.set(axis === 0 ? 1 : 0, axis === 1 ? 1 : 0, axis === 2 ? 1 : 0, axis === null ? 1e9 : at);
  }

  showHeld(on: boolean): void {
    this.uniforms.showHeld!.value = on ? 1 : 0;
  }
}
