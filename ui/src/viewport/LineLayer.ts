/** Coloured line segments in the world: bonds, defects. Drawn over the pieces, faint where hidden. */
import * as THREE from "three";

export class LineLayer {
  readonly object: THREE.LineSegments;
  private readonly material: THREE.LineBasicMaterial;

  constructor(opacity = 0.9) {
    this.material = new THREE.LineBasicMaterial({
      vertexColors: true,
      transparent: true,
      opacity,
      depthTest: false,
      depthWrite: false,
    });
    this.object = new THREE.LineSegments(new THREE.BufferGeometry(), this.material);
    this.object.frustumCulled = false;
    this.object.renderOrder = 5;
    this.object.visible = false;
  }

  /** Ends (6 numbers a segment) and a colour (3 numbers) for each segment; null hides the layer. */
  set(ends: Float32Array<ArrayBuffer> | null, colors?: Float32Array): void {
    this.object.visible = !!ends && ends.length > 0;
    if (!ends || !colors) return;
    const twice = new Float32Array(ends.length);
    for (let s = 0; s < ends.length / 6; s++) for (let k = 0; k < 6; k++) twice[s * 6 + k] = colors[s * 3 + (k % 3)]!;
    this.object.geometry.dispose();
    this.object.geometry = new THREE.BufferGeometry();
    this.object.geometry.setAttribute("position", new THREE.BufferAttribute(ends, 3));
    this.object.geometry.setAttribute("color", new THREE.BufferAttribute(twice, 3));
  }

  dispose(): void {
    this.object.geometry.dispose();
    this.material.dispose();
  }
}
