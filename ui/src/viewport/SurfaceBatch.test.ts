import * as THREE from "three";
import { beforeEach, describe, expect, it } from "vitest";
import { SurfaceBatch, type SurfaceShape } from "./SurfaceBatch";

const square = (more: Partial<SurfaceShape> = {}): SurfaceShape => ({
  name: "flag",
  copy: 0,
  vertices: new Float32Array([0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0]),
  faces: new Uint32Array([0, 1, 2, 0, 2, 3]),
  lines: new Uint32Array(),
  radius: 0,
  thick: 0,
  side: 0,
  smooth: 0,
  sides: 8,
  ...more,
});
const line = (): SurfaceShape =>
  square({ name: "guy", faces: new Uint32Array(), lines: new Uint32Array([0, 1, 1, 2]), radius: 0.02, sides: 5 });

describe("bodies that deform, as they are drawn", () => {
  let batch: SurfaceBatch;
  const meshes = (): THREE.Mesh[] => batch.group.children as THREE.Mesh[];
  const triangles = (): number => meshes()[0]!.geometry.index!.count / 3;
  beforeEach(() => void (batch = new SurfaceBatch({})));

  it("are where a frame has them, in textures as wide as they are read", () => {
    batch.setShapes([square(), line()], 40);
    batch.setPlaces(0, new Float32Array([0, 0, 5, 1, 0, 5, 1, 1, 5, 0, 1, 5]));
    expect(batch.placeOf(0, 2)).toEqual([1, 1, 5]);
    expect([batch.count, batch.numberOf("guy"), batch.numberOf("none")]).toEqual([2, 1, -1]);
    const uniforms = (meshes()[0]!.material as THREE.ShaderMaterial).uniforms;
    const { image } = uniforms.places!.value as THREE.DataTexture;
    expect([image.width, image.data!.length]).toEqual([uniforms.wide!.value, 3 * image.width * image.height]);
    expect((uniforms.places!.value as THREE.DataTexture).internalFormat).toBe("RGB32F");
    expect(uniforms.number!.value).toBe(40);
  });
  it("are met where they are now, a rope where a ray passes nearest", () => {
    batch.setShapes([square(), line()], 0);
    batch.setPlaces(0, new Float32Array([0, 0, 5, 1, 0, 5, 1, 1, 5, 0, 1, 5]));
    batch.setPlaces(1, line().vertices);
    expect(batch.meet(0, [0.2, 0.9, 9], [0, 0, -1])).toMatchObject({ distance: expect.closeTo(4), vertex: 3 });
    expect(batch.meet(0, [0.2, 0.9, 4], [0, 0, -1])).toBeNull();
    expect(batch.meet(1, [0.9, 0.05, 9], [0, 0, -1])!.vertex).toBe(1);
  });
  it("are divided and thick for the eye, without another vertex to compute", () => {
    batch.setShapes([square()], 0);
    expect(triangles()).toBe(2);
    batch.setShapes([square({ smooth: 2 })], 0);
    expect([triangles(), batch.verticesOf(0)]).toEqual([32, 4]);
    batch.setShapes([square({ thick: 0.1, side: 1 })], 0);
    expect(triangles()).toBe(2 + 2 + 8);
    batch.setShapes([line()], 0);
    expect(triangles()).toBe(2 * 5 * 2);
  });
  it("give each vertex its number, and all its copies their places", () => {
    batch.setShapes([square(), square({ copy: 1 })], 0);
    batch.setPlaces(1, new Float32Array(12).fill(7));
    batch.setValues(0, (v) => v / 4);
    const { given } = (meshes()[0]!.material as THREE.ShaderMaterial).uniforms;
    const data = (given!.value as THREE.DataTexture).image.data as Float32Array;
    expect([...data.subarray(0, 4)]).toEqual([0, 0.25, 0.5, 0.75]);
    const seen: number[][] = [];
    batch.eachPlace("flag", (at) => void seen.push(at));
    expect([seen.length, seen.at(-1)]).toEqual([8, [7, 7, 7]]);
  });
  it("are hidden and let go with what they hold", () => {
    batch.setShapes([square()], 0);
    batch.setLook(0, [1, 0, 0], "packed", { chosen: true, hidden: true, most: 0.1 });
    expect(meshes().map((m) => m.visible)).toEqual([false, false]);
    batch.dispose();
    expect([batch.count, batch.group.children.length, batch.pickGroup.children.length]).toEqual([0, 0, 0]);
  });
});
