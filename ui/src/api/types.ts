/** Names for the generated API types; the document types come from the core's own models. */
import type { components } from "./generated";

type Schemas = components["schemas"];
export type ShotDocument = Required<Schemas["Shot"]>;
export type Body = Required<Schemas["Body"]>;
export type Group = Required<Schemas["Group"]> & { body: Body };
export type Layout = Group["layout"];
export type Shape = Body["shape"];
export type Pattern = NonNullable<Body["pattern"]>;
export type BreakStep = Required<Body["breaks"][number]>;
export type StepPattern = BreakStep["pattern"];
export type MeshStep = Body["steps"][number];
export type MaterialList = Schemas["MaterialList"];
export type Preset = Schemas["Preset"];
export type FieldItem = Required<Schemas["FieldItem"]>;
export type Tie = Required<Schemas["Tie"]>;
export type TieKind = Tie["how"]["kind"];
export type Layer = Required<NonNullable<FieldItem["reach"]["layers"]>[number]>;
export type ReachShape = Extract<Layer["shape"], { kind: "sphere" | "box" | "plane" }>;
export type SharedFalloff = ShotDocument["falloffs"][number];
export type WeightMap = Required<ShotDocument["maps"][number]>;
export type LibraryItem = Schemas["LibraryItem"];
export type ShotOut = Schemas["ShotOut"];
export type ShotCard = Schemas["ShotCard"];
export type BuiltBody = Schemas["BuiltBody"];
export type Survey = Schemas["SurveyOut"];
export type Crossing = Schemas["CrossingOut"];
export type PathLoad = Schemas["PathLoadOut"];
export type Finding = Schemas["FindingOut"];
export type Take = Schemas["TakeOut"];
export type Chunk = Schemas["ChunkOut"];
export type AssetsOut = Schemas["AssetsOut"];
export type BuildOut = Schemas["BuildOut"];
export type Settling = Schemas["SettlingOut"];
export type Report = Schemas["ReportOut"];
export type Problem = Schemas["Problem"];

export interface LoadCause {
  field?: string;
  impact?: string;
  weight?: string;
  motion?: string;
  grip?: string;
  tension?: boolean;
  /** kN */
  load: number;
}
export interface TakeEvent {
  frame: number;
  time: number;
  kind: "bond_broken" | "seam_opened" | "tie_broken" | "impact" | "cue" | "kill" | "release" | "limit";
  tie?: string;
  what?: string;
  pieces?: (number | null)[];
  tier?: number;
  load?: number;
  strength?: number;
  causes?: (LoadCause & { share: number })[];
  field?: string;
  body?: string;
  bodies?: [string, string];
  speed?: number;
  impulse?: number;
  cause?: { touch?: string; field?: string; cue?: number };
}

/** What one piece of a take went through. */
export type Trace = Omit<Schemas["TraceOut"], "events" | "states" | "fields"> & {
  states: { name: string; spans: [number, number][] }[];
  fields: { name: string; spans: [number, number][] }[];
  events: TakeEvent[];
};
/** What a bond bears as a frame begins, and from where. */
export type BondLoad = Omit<Schemas["BondLoadOut"], "causes"> & { causes: LoadCause[] };
