/** What bodies are made of for the solver: changing it keeps all that still makes sense, and says what does not. */
import type { Body, Pattern } from "../api/types";
import type { Spec } from "./specs";
import { showLength, showNumber } from "./units";
import { told } from "./words";

export type Matter = Body["matter"];
export type MatterKind = Matter["kind"];

export const MATTERS: readonly (readonly [MatterKind, string, string])[] = [
  ["rigid", "rigid", "pieces keep their shape"],
  ["cloth", "cloth", "a sheet: the triangles of its mesh"],
  ["soft", "soft", "a solid that gives way"],
  ["rope", "rope", "a round line, or the edges of its mesh"],
];

const MAKE: Record<MatterKind, Record<string, unknown>> = {
  rigid: {},
  cloth: {
    preset: "canvas",
    weight: 0.34,
    thickness: 0.0007,
    stretch: 50,
    shear: 5,
    bending: 1e-4,
    damping: 0.005,
    folds: true,
    tear: null,
  },
  soft: { preset: "rubber", young: 2000, poisson: 0.48, damping: 0.01, detail: 10, folds: false, tear: null },
  rope: {
    preset: "hemp",
    radius: 0.01,
    young: 6e5,
    working_load: null,
    working_stretch: 0.02,
    bending: 0,
    twist: 0,
    turns: 0,
    damping: 0.01,
    folds: true,
    breaks: null,
  },
};

const n = (key: string, label: string, unit: string, more: Partial<Spec> = {}): Spec => ({
  key,
  label,
  unit,
  min: 0,
  fixed: true,
  ...more,
});
const DAMPING = n("damping", "damping", "s", { max: 1 });
const FOLDS: Spec = { key: "folds", label: "meets itself", kind: "switch" };
export const MATTER_SPECS: Record<MatterKind, Spec[]> = {
  rigid: [],
  cloth: told("ClothMatter", [
    n("weight", "weight", "kg/m²", { min: 1e-4 }),
    n("thickness", "thickness", "m", { min: 1e-6, max: 1 }),
    n("stretch", "stretch", "kN/m", { min: 1e-4 }),
    n("shear", "shear", "kN/m", { min: 1e-4 }),
    n("bending", "bending", "N m"),
    DAMPING,
    n("tear", "tears at", "kN/m", { min: 1e-4, optional: { on: 20, none: "never" } }),
    FOLDS,
  ]),
  soft: told("SoftMatter", [
    n("young", "stiffness", "kN/m²", { min: 1e-3 }),
    n("poisson", "Poisson's ratio", "", { max: 0.49 }),
    DAMPING,
    n("detail", "detail", "", { min: 1, max: 100, whole: true }),
    n("tear", "tears at", "kN/m²", { min: 1e-3, optional: { on: 200, none: "never" } }),
    FOLDS,
  ]),
  rope: told("RopeMatter", [
    n("radius", "radius", "m", { min: 1e-4, max: 10 }),
    n("young", "stiffness", "kN/m²", { min: 1e-3, when: (m) => m.working_load == null }),
    n("working_load", "working load", "kN", { min: 1e-4, optional: { on: 1, none: "not known" } }),
    n("working_stretch", "longer by", "", { min: 1e-6, max: 1, when: (m) => m.working_load != null }),
    n("bending", "bending", "N m²"),
    n("twist", "twist", "N m²", { when: (m) => m.bending !== 0 || m.twist !== 0 }),
    n("turns", "wound up", "turns", { min: -1e4, max: 1e4, when: (m) => m.twist !== 0 || m.turns !== 0 }),
    DAMPING,
    n("breaks", "breaks at", "kN", { min: 1e-4, optional: { on: 20, none: "never" } }),
    FOLDS,
  ]),
};

/** facets along each side that a plain shape gets, so that it can bend */
const FACETS = { sheet: 24, box: 8 };

/** What joins the pieces of matter of a kind at first: pieces meet along faces, patches of cloth along lines. */
export const newBonds = (kind: MatterKind): NonNullable<Body["bonds"]> => ({
  ...(kind === "cloth" ? { strength: 5, unit: "kN/m" } : { strength: 400, unit: "kN/m2" }),
  tiers: [],
  by_size: 0,
  by_reach: null,
  cut: [],
});

/**
 * Break a whole body, in place: its pieces hold by bonds, which all that acts on it loads. Returns what it had and
 * cannot have any more, in words.
 */
export function breakBody(body: Body, pattern: Pattern): string[] {
  body.pattern = pattern;
  if (pattern.kind === "faces") return [];
  body.bonds ??= newBonds(body.matter.kind);
  if (body.matter.kind === "rigid") body.load_path = "fail";
  const matter = body.matter as { kind: MatterKind; tear?: number | null };
  if (matter.kind !== "soft" || !matter.tear) return [];
  [body.bonds.strength, matter.tear] = [matter.tear, null]; // it parts along its seams now
  return ["tearing inside its pieces: the seams between them open at that stress"];
}

/** Give bonds that say their strength in what its matter has not, that of a new one, in place. */
function refit(body: Body): void {
  const { strength, unit } = newBonds(body.matter.kind);
  if (body.bonds && body.bonds.unit !== "kN" && body.bonds.unit !== unit)
    Object.assign(body.bonds, { strength, unit, tiers: [], cut: [] });
}

/** Kinds of matter a shape can be. */
export const possible = (body: Body, kind: MatterKind): boolean => body.shape.kind !== "line" || kind === "rope";

/** Make a body of other matter, in place. Returns what it had and cannot have any more, in words. */
export function changeMatter(body: Body, kind: MatterKind): string[] {
  const lost: string[] = [];
  const drop = (word: string, had: boolean, change: () => void): void => {
    if (had) lost.push(word);
    change();
  };
  body.matter = { kind, ...MAKE[kind] } as Matter;
  drop("the shape it had settled in", !!body.opening, () => (body.opening = null));
  if (kind === "rigid") {
    drop("pins", body.pins.length > 0, () => (body.pins = []));
    drop("recall", body.recall.length > 0, () => (body.recall = []));
    drop("weights", body.weights.length > 0, () => (body.weights = []));
    refit(body);
    if (body.pattern && body.bonds) body.load_path = "fail";
    return lost;
  }
  drop("its role", body.role !== "active", () => (body.role = "active"));
  drop("keys of its place", !!body.motion, () => (body.motion = null));
  drop("keyed numbers", body.channels.length > 0, () => (body.channels = []));
  drop("when it is let go", body.release.kind === "intact", () => (body.release = { kind: "start" }));
  drop("loads through bonds", body.load_path !== "off", () => (body.load_path = "off"));
  const shells = body.pattern?.kind === "faces" && kind === "soft";
  drop("its pattern", !!body.pattern && (kind === "rope" || shells), () => {
    if (kind !== "rope" && !shells) return;
    [body.pattern, body.breaks, body.bonds] = [null, [], null];
  });
  refit(body);
  if (body.collision === "exact") body.collision = "auto";
  const shape = body.shape;
  if (shape.kind === "sheet")
    shape.divisions = shape.divisions!.map((x) => Math.max(x, FACETS.sheet)) as [number, number];
  if (shape.kind === "box")
    shape.divisions = shape.divisions!.map((x) => Math.max(x, FACETS.box)) as [number, number, number];
  return lost;
}

/** Fill a body's matter from a preset, in place. */
export function takeMatter(
  body: Body,
  preset: { name: string; density: number; friction: number; matter: Record<string, object> },
): void {
  const numbers = preset.matter[body.matter.kind];
  if (!numbers) return;
  Object.assign(body.matter, numbers, { preset: preset.name });
  if (body.matter.kind === "rope") body.matter.working_load = null;
  Object.assign(body.material, { density: preset.density, friction: preset.friction });
}

/** Young's modulus of a rope [kN/m2], where its working load gives it too. */
const youngOf = (m: Extract<Body["matter"], { kind: "rope" }>): number =>
  m.working_load ? m.working_load / (Math.PI * m.radius! ** 2 * m.working_stretch!) : m.young!;

/** What numbers of matter lead to, said while they are changed. size: of the body [m]; gravity [m/s2] */
export function leadsTo(body: Body, size: readonly number[], gravity: number): string {
  const m = body.matter;
  const long = Math.max(...size);
  if (!(long > 0) || !gravity) return "";
  const hangs = (share: number): string =>
    share > 1
      ? "tears out of shape under its own weight"
      : `hangs ${showLength(share * 0.5 * long)} longer under its own weight`;
  if (m.kind === "cloth") {
    const curl = Math.cbrt(m.bending! / (m.weight! * gravity));
    return `${hangs((m.weight! * gravity * long) / (1000 * m.stretch!))}; folds about ${showLength(2 * curl)} wide`;
  }
  if (m.kind === "soft") return `${hangs((body.material.density! * gravity * long) / (1000 * m.young!))}`;
  if (m.kind === "rope") {
    const swing = 2 * Math.PI * Math.sqrt((2 * long) / (3 * gravity));
    const strain = (body.material.density! * gravity * long) / (1000 * youngOf(m));
    // a solid round section: E I, and G J of what keeps its volume; strands that slide have far less
    const solid = (Math.PI / 4) * m.radius! ** 4 * 1000 * youngOf(m);
    const rod = m.bending
      ? `; were it solid, bending ${showNumber(solid, 3)}, twist ${showNumber(solid / 1.5, 3)} N m²`
      : "";
    return `${hangs(strain)}; swings in ${showNumber(swing, 2)} s${rod}`;
  }
  return "";
}
