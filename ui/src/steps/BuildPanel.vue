<script setup lang="ts">
import { ElButton } from "element-plus";
import { computed, ref } from "vue";
import { api, ApiError } from "../api/client";
import type { Body, FieldItem } from "../api/types";
import BodyList from "../components/BodyList.vue";
import Glyph from "../components/Glyph.vue";
import MeshState from "../components/MeshState.vue";
import NumberRow from "../controls/NumberRow.vue";
import ReachEditor from "../components/ReachEditor.vue";
import VectorField from "../controls/VectorField.vue";
import { SHAPES, freeName, halfHeight, layoutCount, newBody, newGroup, renameIn } from "../lib/document";
import { takeIn } from "../lib/bounds";
import { wayBeside, type Bounds } from "../lib/beside";
import { copiesOf } from "../composables/useShown";
import type { Quat, Vec } from "../lib/rotation";
import { lengthOf, slackened } from "../lib/line";
import { changeMatter } from "../lib/matter";
import SpecRows from "../components/SpecRows.vue";
import { say } from "../lib/words";
import { showLength, showMass } from "../lib/units";
import { MOST_MEMBERS, ungroup } from "../lib/ungroup";
import { usePieces } from "../stores/pieces";
import { useShot, type Thing } from "../stores/shot";
import { useView } from "../stores/view";
import Section from "../controls/Section.vue";
import FileButton from "../controls/FileButton.vue";

const shot = useShot();
const pieces = usePieces();
const view = useView();
const bringing = ref("");
const problem = ref("");
const notes = ref("");
const chosen = computed(() => shot.things.find((t) => t.name === view.thing));
const taken = (): string[] => shot.things.map((t) => t.name);
const MOST_MB = 64;
const MANY = [
  ["line", "line", "along a line"],
  ["grid", "grid", "on a grid"],
  ["ring", "ring", "round a ring"],
  ["volume", "scatter in", "scattered in a volume"],
  ["surface", "scatter over", "scattered over a surface"],
] as const;

/** The box round a thing as it stands. */
function boundsOf(thing: Thing): Bounds | null {
  const packed = pieces.packedOf(thing.name);
  const copies = packed && copiesOf(thing, pieces.members.get(thing.name), 0, packed);
  if (!copies) return null;
  const [lo, hi]: [Vec, Vec] = [
    [Infinity, Infinity, Infinity],
    [-Infinity, -Infinity, -Infinity],
  ];
  takeIn(packed.vertices as Float32Array, copies, lo, hi);
  return { lo, hi };
}

/** A new shape stands on the ground beside what is there; what it is built of is known before it is built. */
function add(kind: string): void {
  const shape = SHAPES[kind]!();
  const half = halfHeight(shape);
  const ground = shot.document?.ground.height ?? 0;
  const rope = shape.kind === "line";
  const body = newBody(freeName(rope ? "rope" : kind, taken()), shape, rope ? ground + 2 : half + ground);
  if (rope) changeMatter(body, "rope");
  const side = Math.max(half, 1);
  const at = body.place.position![1]!;
  const own: Bounds = { lo: [-side, at - half, -side], hi: [side, at + half, side] };
  const others = shot.things.flatMap((t) => boundsOf(t) ?? []);
  body.place.position![0] = Number(wayBeside(own, others).toFixed(3));
  put([body], kind);
}

function put(bodies: Body[], what: string): void {
  shot.edit(`add ${what}`, (d) => d.bodies.push(...bodies));
  view.showing = "set-up";
  view.select({ kind: "body", name: bodies[0]!.name });
}

/** Every mesh of a file becomes a body; together they are stood on the ground. */
async function bringIn(files: File[]): Promise<void> {
  problem.value = notes.value = "";
  for (const file of files) {
    if (file.size > MOST_MB * 1024 * 1024) {
      problem.value = `'${file.name}' has ${(file.size / 1e6).toFixed(0)} MB; the limit is 67 MB. Decimate it before bringing it in.`;
      continue;
    }
    bringing.value = file.name;
    try {
      const found = await api.bringIn(file);
      const lift = (shot.document?.ground.height ?? 0) - Math.min(...found.parts.map((p) => p.low));
      const plain = file.name.replace(/\.[^.]+$/, "").slice(0, 60) || "mesh";
      const used = taken();
      const bodies = found.parts.map((part) => {
        const name = freeName((found.parts.length > 1 ? part.name : "") || plain, used);
        used.push(name);
        const body = newBody(name, { kind: "asset", asset: part.asset }, 0);
        body.place.position = part.position.map((x, k) => Number((x + (k === 1 ? lift : 0)).toFixed(4))) as Vec;
        body.place.rotation = part.rotation as Quat;
        if (part.color) body.material.look!.color = part.color;
        return body;
      });
      const low = found.parts.map((p) => p.position.map((x, k) => x + (k === 1 ? lift : 0) - p.size[k]! / 2) as Vec);
      const high = found.parts.map((p) => p.position.map((x, k) => x + (k === 1 ? lift : 0) + p.size[k]! / 2) as Vec);
      const all: Bounds = {
        lo: [0, 1, 2].map((c) => Math.min(...low.map((v) => v[c]!))) as Vec,
        hi: [0, 1, 2].map((c) => Math.max(...high.map((v) => v[c]!))) as Vec,
      };
      const way = wayBeside(
        all,
        shot.things.flatMap((t) => boundsOf(t) ?? []),
      );
      for (const body of bodies) body.place.position![0] = Number((body.place.position![0]! + way).toFixed(4));
      notes.value = [
        `${file.name}: ${found.notes.join("; ")}.`,
        ...(bodies.length > 1 ? [`${bodies.length} meshes came in as bodies of their own.`] : []),
        "Stood on the ground.",
      ].join(" ");
      put(bodies, file.name);
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      problem.value = error.message;
    }
  }
  bringing.value = "";
}

/** The chosen body becomes the pattern body of a group. */
function makeGroup(kind: "line" | "grid" | "ring" | "volume" | "surface"): void {
  const thing = chosen.value!;
  const size = pieces.built.get(thing.name)?.figures.size ?? [1, 1, 1];
  const name = freeName(`${thing.name} group`, taken());
  const over = shot.bodies.find((b) => b.role === "passive" && b.name !== thing.name);
  const [x, , z] = thing.body.place.position!;
  const under = over
    ? { body: over.name, at: over.place.position!, size: pieces.built.get(over.name)?.figures.size ?? null }
    : { body: null, at: [x, shot.document!.ground.height!, z], size: null };
  shot.edit(`make a group of ${thing.name}`, (d) => {
    d.groups.push(newGroup(name, thing.body, kind, size, under));
    d.bodies = d.bodies.filter((b) => b.name !== thing.name);
    renameIn(d, thing.name, name);
  });
  view.select({ kind: "group", name });
}

function singleOut(): void {
  const thing = chosen.value!;
  const name = freeName(thing.body.name, taken());
  shot.edit(`dissolve ${thing.name}`, (d) => {
    d.groups = d.groups.filter((g) => g.name !== thing.name);
    d.bodies.push({ ...structuredClone(thing.body), name });
    renameIn(d, thing.name, name);
  });
  view.select({ kind: "body", name });
}

/** Every member a body of its own. */
async function intoBodies(): Promise<void> {
  const { name } = chosen.value!;
  try {
    const members = await api.members(shot.document!, name);
    let names: string[] = [];
    shot.edit(`turn ${name} into bodies`, (d) => (names = ungroup(d, name, members)));
    view.select(null);
    for (const n of names) view.select({ kind: "body", name: n }, true);
  } catch (error) {
    if (!(error instanceof ApiError)) throw error;
    problem.value = error.message;
  }
}

function copy(): void {
  const thing = chosen.value!;
  const twin = structuredClone(thing.body);
  twin.name = freeName(thing.name, taken());
  twin.place.position = twin.place.position!.map((x, k) =>
    Number((x + (k === 0 ? (pieces.built.get(thing.name)?.figures.size[0] ?? 1) * 1.2 : 0)).toFixed(4)),
  ) as Vec;
  put([twin], `copy of ${thing.name}`);
}

function editShape(change: (s: Record<string, unknown>) => void): void {
  const name = chosen.value!.name;
  shot.editBody(name, `shape of ${name}`, (b) => change(b.shape as Record<string, unknown>));
}

const LENGTH = { unit: "m", min: 0.0001 };
const facets = (
  key: string,
  min = 3,
  max = 512,
): { key: string; label: string; min: number; max: number; whole: boolean } => ({
  key,
  label: key,
  min,
  max,
  whole: true,
});
const FIELDS: Record<
  string,
  { key: string; label: string; unit?: string; min: number; max?: number; whole?: boolean }[]
> = {
  sphere: [{ key: "radius", label: "radius", ...LENGTH }, facets("segments", 6, 256)],
  cylinder: [
    { key: "radius", label: "radius", ...LENGTH },
    { key: "height", label: "height", ...LENGTH },
    { key: "taper", label: "taper", min: 0.05, max: 20 },
    facets("segments"),
    facets("divisions", 1, 200),
  ],
  cone: [
    { key: "radius", label: "radius", ...LENGTH },
    { key: "height", label: "height", ...LENGTH },
    facets("segments"),
    facets("divisions", 1, 200),
  ],
  tube: [
    { key: "radius", label: "radius", ...LENGTH },
    { key: "wall", label: "wall", ...LENGTH },
    { key: "height", label: "height", ...LENGTH },
    { key: "taper", label: "taper", min: 0.05, max: 20 },
    facets("segments"),
    facets("divisions", 1, 200),
  ],
  torus: [
    { key: "radius", label: "radius", ...LENGTH },
    { key: "thickness", label: "thickness", ...LENGTH },
    facets("segments"),
    facets("sides", 3, 256),
  ],
  sheet: [{ key: "thickness", label: "thickness", ...LENGTH }],
  falloff: [{ key: "level", label: "level", min: 0.01, max: 0.99 }, facets("detail", 8, 160)],
};
/** those of the chosen shape; a sheet of cloth has no thickness but its matter's */
const fields = computed(() => {
  const cloth = chosen.value?.body.matter.kind === "cloth";
  return cloth && shape.value?.kind === "sheet" ? [] : (FIELDS[shape.value?.kind ?? ""] ?? []);
});
/** by how much a rope is longer than straight [%] */
const slackNow = computed(() => {
  const points = (shape.value?.points ?? []) as Vec[];
  const straight = points.length ? lengthOf([points[0]!, points.at(-1)!]) : 0;
  return straight > 0 ? Number((100 * (lengthOf(points) / straight - 1)).toFixed(1)) : 0;
});
const shape = computed(() => chosen.value?.body.shape as (Record<string, unknown> & { kind: string }) | undefined);
defineExpose({ bringIn });
</script>

<template>
  <div>
    <div class="section">
      <div class="panel-head">
        <h2>Build</h2>
        <span>{{ shot.things.length }} {{ shot.things.length === 1 ? "body" : "bodies" }}</span>
      </div>
      <div class="adds">
        <ElButton
          v-for="kind in Object.keys(SHAPES)"
          :key="kind"
          class="bare add"
          :data-testid="`add-${kind}`"
          @click="add(kind)">
          <Glyph :name="kind" :size="20" />{{ kind === "line" ? "rope" : kind }}
        </ElButton>
      </div>
      <FileButton
        accept=".obj,.stl,.ply,.glb,.gltf,.usd,.usda,.usdc"
        multiple
        data-testid="bring-in"
        :disabled="!!bringing"
        @files="bringIn">
        <Glyph name="file" />{{ bringing ? `reading ${bringing}…` : "Bring in a mesh file" }}
      </FileButton>
      <p v-if="problem" class="problem" role="alert" data-testid="import-problem">{{ problem }}</p>
      <p v-else-if="notes" class="mute small" data-testid="import-notes">{{ notes }}</p>
      <p v-else class="mute small">or drop OBJ, STL, PLY, GLB, USD on the view</p>
    </div>
    <BodyList
      v-if="shot.things.length"
      :figure="
        (t) => {
          const f = pieces.built.get(t.name)?.figures;
          return f ? showMass(f.mass) : '';
        }
      " />
    <Section
      v-if="chosen && shape && (FIELDS[shape.kind] || shape.kind === 'box' || shape.kind === 'line')"
      :title="`Shape of ${chosen.name}`"
      :note="shape.kind">
      <VectorField
        v-if="shape.kind === 'box'"
        label="size"
        unit="m"
        marks="whd"
        :min="0.0001"
        :model-value="shape.size as Vec"
        @update:model-value="(v) => editShape((s) => (s.size = v))" />
      <div v-if="shape.kind === 'box'" class="stack">
        <label>divisions</label
        ><VectorField
          label="divisions"
          marks="whd"
          whole
          :min="1"
          :model-value="shape.divisions as Vec"
          @update:model-value="(v) => editShape((s) => (s.divisions = v))" />
      </div>
      <template v-if="shape.kind === 'line'">
        <p class="mute small figures" data-testid="rope-length">
          {{ showLength(lengthOf(shape.points as Vec[])) }} long, {{ (shape.points as Vec[]).length }} points
        </p>
        <ElButton class="wide" data-testid="draw-rope" @click="view.drawing = []">Draw it in the view</ElButton>
        <NumberRow
          label="segments"
          :hint="say('LineShape.segments')"
          whole
          :min="1"
          :max="2000"
          :model-value="(shape.segments as number | null) ?? (shape.points as Vec[]).length - 1"
          @update:model-value="(v) => editShape((s) => (s.segments = v))" />
        <NumberRow
          label="slack"
          hint="how much longer than straight from end to end"
          unit="%"
          :min="0"
          :max="100"
          :initial="0"
          :model-value="slackNow"
          @update:model-value="(v) => editShape((s) => (s.points = slackened(s.points as Vec[], v / 100)))" />
        <SpecRows
          v-if="(shape.points as Vec[]).length < 9"
          :of="shape"
          :specs="[{ key: 'points', label: 'points', kind: 'points', hint: say('LineShape.points') }]"
          @change="(k, v) => editShape((s) => (s[k] = v))" />
      </template>
      <template v-if="shape.kind === 'falloff'">
        <ReachEditor
          label="surface"
          :model-value="shape.reach as FieldItem['reach']"
          @update:model-value="(v) => editShape((s) => (s.reach = v))" />
        <div class="stack">
          <label>looked at: middle</label
          ><VectorField
            label="box centre"
            unit="m"
            :model-value="shape.center as Vec"
            :initial="0"
            @update:model-value="(v) => editShape((s) => (s.center = v))" />
        </div>
        <div class="stack">
          <label>and size</label
          ><VectorField
            label="box size"
            unit="m"
            marks="whd"
            :min="0.001"
            :model-value="shape.size as Vec"
            @update:model-value="(v) => editShape((s) => (s.size = v))" />
        </div>
      </template>
      <template v-if="shape.kind === 'sheet'">
        <NumberRow
          v-for="(side, k) in ['width', 'depth']"
          :key="side"
          :label="side"
          hint="length of one side"
          unit="m"
          :min="0.0001"
          :model-value="(shape.size as number[])[k]!"
          @update:model-value="(v) => editShape((s) => ((s.size as number[])[k] = v))" />
        <NumberRow
          v-for="(side, k) in ['facets w', 'facets d']"
          :key="side"
          :label="side"
          hint="length of one side"
          whole
          :min="1"
          :max="200"
          :model-value="(shape.divisions as number[])[k]!"
          @update:model-value="(v) => editShape((s) => ((s.divisions as number[])[k] = v))" />
      </template>
      <NumberRow
        v-for="f in fields"
        :key="f.key"
        :label="f.label"
        hint="a measure of the new shape"
        :unit="f.unit"
        :min="f.min"
        :max="f.max"
        :whole="f.whole"
        :model-value="shape[f.key] as number"
        @update:model-value="(v) => editShape((s) => (s[f.key] = v))" />
    </Section>
    <Section v-if="chosen" :title="chosen.group ? 'Group' : 'Many'" :note="!chosen.group ? 'copies that stay one' : ''">
      <template v-if="!chosen.group">
        <div class="tiles">
          <ElButton
            v-for="[kind, word, why] in MANY"
            :key="kind"
            v-hint="why"
            size="small"
            :data-testid="`many-${kind}`"
            @click="makeGroup(kind)"
            >{{ word }}</ElButton
          >
        </div>
        <ElButton link class="mute small" @click="copy">one copy beside it</ElButton>
      </template>
      <div v-else class="two">
        <ElButton @click="singleOut">Back to a single body</ElButton>
        <ElButton
          :disabled="layoutCount(chosen.group.layout) > MOST_MEMBERS"
          v-hint="
            layoutCount(chosen.group.layout) > MOST_MEMBERS
              ? `Up to ${MOST_MEMBERS} members can become bodies`
              : 'Each can then be changed alone'
          "
          data-testid="into-bodies"
          @click="intoBodies"
          >Turn into {{ layoutCount(chosen.group.layout) }} bodies</ElButton
        >
      </div>
    </Section>
    <MeshState v-if="chosen" :key="chosen.name" :name="chosen.name" :body="chosen.body" />
  </div>
</template>

<style scoped>
.two {
  display: grid;
  gap: 4px;
}
.adds {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  gap: 4px;
  margin-bottom: 8px;
}
.add {
  display: flex;
  flex-direction: column;
  align-items: center;
  gap: 4px;
  padding: 8px 0 6px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--basalt-2);
  color: var(--soft);
  cursor: pointer;
  font-size: 11.5px;
}
.add:hover {
  border-color: var(--accent);
  color: var(--chalk);
}
.small {
  font-size: 12px;
  margin-top: 6px;
}
.problem {
  margin-top: 6px;
}
.stack {
  margin-top: 6px;
}
.stack label {
  display: block;
  color: var(--soft);
  margin-bottom: 3px;
}
.wrap {
  flex-wrap: wrap;
}
</style>
