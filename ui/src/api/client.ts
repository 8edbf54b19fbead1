/** All requests to the server. Failures come as ApiError with the server's sentence. */
import { batched, type Outcome } from "../lib/batch";
import { unpack, type Packed } from "./packed";
import type {
  AssetsOut,
  BondLoad,
  Body,
  BuildOut,
  Chunk,
  LibraryItem,
  MaterialList,
  MeshStep,
  Preset,
  Problem,
  Report,
  Settling,
  ShotCard,
  ShotDocument,
  ShotOut,
  Survey,
  Take,
  TakeEvent,
  Trace,
} from "./types";

export class ApiError extends Error {
  readonly status: number;
  readonly code: string;
  readonly where: string;
  readonly problems: { where?: string; message?: string }[];
  constructor(status: number, problem: Partial<Problem>) {
    super(problem.message ?? "the server gave no answer that could be read");
    this.status = status;
    this.code = problem.code ?? "http";
    this.where = problem.where ?? "";
    this.problems = problem.problems ?? [];
  }
}

async function send(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<Response> {
  let response: Response;
  const form = body instanceof FormData;
  try {
    response = await fetch(`/api${path}`, {
      method,
      body: body === undefined ? undefined : form ? body : JSON.stringify(body),
      headers: body === undefined || form ? {} : { "Content-Type": "application/json" },
      signal,
    });
  } catch (error) {
    if (signal?.aborted) throw error;
    throw new ApiError(0, { code: "offline", message: "Dynaclast cannot be reached; is it still running?" });
  }
  if (!response.ok) {
    const problem = (await response.json().catch(() => ({}))) as Partial<Problem>;
    throw new ApiError(response.status, problem);
  }
  return response;
}

async function json<T>(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<T> {
  return (await send(method, path, body, signal)).json() as Promise<T>;
}

async function packed(path: string): Promise<Packed> {
  return unpack(await (await send("GET", path)).arrayBuffer());
}

async function builds(bodies: Body[]): Promise<Outcome<BuildOut>[]> {
  const out = await json<{ builds: (BuildOut & { error: Problem | null })[] }>("POST", "/builds", { bodies });
  return out.builds.map((one) => (one.error ? { error: new ApiError(422, one.error) } : { value: one }));
}

/** Arrays of many bodies come in one answer, each body's under its place in the list. */
async function pieces(keys: string[]): Promise<Outcome<Packed>[]> {
  const all = unpack(await (await send("POST", "/pieces", { keys })).arrayBuffer());
  const parts: Packed[] = keys.map(() => ({}));
  for (const [name, array] of Object.entries(all)) {
    const slash = name.indexOf("/");
    parts[Number(name.slice(0, slash))]![name.slice(slash + 1)] = array;
  }
  return parts.map((value) => ({ value }));
}

export const api = {
  shots: () => json<{ shots: ShotCard[] }>("GET", "/shots"),
  newShot: (name: string, document?: ShotDocument) =>
    json<ShotOut>("POST", "/shots", { name, document: document ?? null }),
  shot: (id: string) => json<ShotOut>("GET", `/shots/${id}`),
  save: (id: string, base: number, document: ShotDocument, label: string, number: string) =>
    json<ShotOut>("PUT", `/shots/${id}`, { base, document, label, number }),
  step: (id: string, base: number, way: "undo" | "redo", number: string) =>
    json<ShotOut>("POST", `/shots/${id}/${way}`, { base, number }),
  deleteShot: (id: string) => json("DELETE", `/shots/${id}`),
  restoreShot: (id: string) => json<ShotOut>("POST", `/shots/${id}/restore`),
  shotPicture: (id: string, key: string) => `/api/shots/${id}/picture?key=${key}`,
  bringIn: (file: File) => {
    const form = new FormData();
    form.append("file", file, file.name);
    return json<AssetsOut>("POST", "/assets", form);
  },
  build: batched(builds, 100),
  settle: (document: ShotDocument, bodies: string[], with_fields: boolean) =>
    json<Settling>("POST", "/settle", { document, bodies, with_fields }),
  settling: (key: string) => json<Settling>("GET", `/settle/${key}`),
  cancelSettling: (key: string) => json<{ ok: boolean }>("POST", `/settle/${key}/cancel`),
  cancelBuild: (body: Body) => json<{ ok: boolean }>("POST", "/build/cancel", { body }),
  mesh: async (body: Body): Promise<Packed> => unpack(await (await send("POST", "/mesh", { body })).arrayBuffer()),
  /** A picture of a body's mesh, as an address that is to be revoked. */
  picture: async (body: Body): Promise<string> =>
    URL.createObjectURL(await (await send("POST", "/picture", { body })).blob()),
  report: (body: Body) => json<Report>("POST", "/report", { body }),
  mend: (body: Body) => json<{ steps: MeshStep[] | null }>("POST", "/mend", { body }),
  bonds: async (body: Body): Promise<Packed> => unpack(await (await send("POST", "/bonds", { body })).arrayBuffer()),
  collision: async (body: Body): Promise<Packed> =>
    unpack(await (await send("POST", "/collision", { body })).arrayBuffer()),
  loads: async (document: ShotDocument, name: string): Promise<Packed> =>
    unpack(await (await send("POST", "/loads", { document, name })).arrayBuffer()),
  seams: async (document: ShotDocument, name: string): Promise<Packed> =>
    unpack(await (await send("POST", "/seams", { document, name })).arrayBuffer()),
  members: async (document: ShotDocument, group: string): Promise<Packed> =>
    unpack(await (await send("POST", "/members", { document, group })).arrayBuffer()),
  materials: () => json<MaterialList>("GET", "/materials"),
  saveMaterial: (preset: Preset, replace = false) => json("PUT", `/materials?replace=${replace}`, preset),
  deleteMaterial: (name: string) => json("DELETE", `/materials?name=${encodeURIComponent(name)}`),
  library: () => json<{ items: LibraryItem[] }>("GET", "/library"),
  keep: (item: LibraryItem, replace = false) => json("PUT", `/library?replace=${replace}`, item),
  drop: (item: LibraryItem) => json("DELETE", `/library?kind=${item.kind}&name=${encodeURIComponent(item.name)}`),
  pieces: batched(pieces, 60),
  survey: (document: ShotDocument, frame: number, field: string, weighs: string, shows: string, signal?: AbortSignal) =>
    json<Survey>("POST", "/survey", { document, frame, field, weighs, shows }, signal),
  takes: (shot: string) => json<{ takes: Take[] }>("GET", `/shots/${shot}/takes`),
  bake: (shot: string, withoutFaulty = false) =>
    json<Take>("POST", `/shots/${shot}/takes${withoutFaulty ? "?without_faulty=true" : ""}`),
  take: (id: string) => json<{ take: Take; document: ShotDocument; state_names: string[] }>("GET", `/takes/${id}`),
  takeDocument: (id: string) => json<ShotDocument>("GET", `/takes/${id}/document`),
  cancel: (id: string) => json<Take>("POST", `/takes/${id}/cancel`),
  extend: (id: string, frames: number | null) => json<Take>("POST", `/takes/${id}/extend`, { frames }),
  deleteTake: (id: string) => json("DELETE", `/takes/${id}`),
  restoreTake: (id: string) => json<Take>("POST", `/takes/${id}/restore`),
  describeTake: (id: string, name: string, note: string) => json<Take>("PUT", `/takes/${id}`, { name, note }),
  takePicture: (id: string, frames: number) => `/api/takes/${id}/picture?frames=${frames}`,
  chunks: (id: string) => json<{ chunks: Chunk[] }>("GET", `/takes/${id}/chunks`),
  chunk: (id: string, first: number) => packed(`/takes/${id}/chunks/${first}`),
  events: (id: string, after: number) => json<{ events: TakeEvent[] }>("GET", `/takes/${id}/events?after=${after}`),
  trace: (id: string, piece: number, signal: AbortSignal) =>
    json<Trace>("GET", `/takes/${id}/trace?piece=${piece}`, undefined, signal),
  bondLoads: (id: string, piece: number, frame: number, signal: AbortSignal) =>
    json<{ bonds: BondLoad[] }>("GET", `/takes/${id}/loads?piece=${piece}&frame=${frame}`, undefined, signal),
  exportUrl: (id: string, format: string, part: Record<string, string | number | boolean> = {}) => {
    const asked = new URLSearchParams({ format });
    for (const [name, value] of Object.entries(part)) asked.set(name, String(value));
    return `/api/takes/${id}/export?${asked}`;
  },
  progress: (id: string, after: number, signal?: AbortSignal) =>
    json<{ take: Take; chunks: Chunk[] }>("GET", `/takes/${id}/progress?after=${after}`, undefined, signal),
};
