<script setup lang="ts">
/** What is wrong with the chosen body's mesh, shown in the view, and the steps that mend or change it. */
import { ElButton } from "element-plus";
import { computed, onBeforeUnmount, ref, watch } from "vue";
import { api, ApiError } from "../api/client";
import type { Body, MeshStep, Report } from "../api/types";
import { filled, newLayer } from "../lib/document";
import { showNumber } from "../lib/units";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
import { chosenFalloff } from "../steps/newField";
import FileUnit from "./FileUnit.vue";
import NumberRow from "../controls/NumberRow.vue";
import ReachEditor from "./ReachEditor.vue";
import Section from "../controls/Section.vue";
import { say } from "../lib/words";

const props = defineProps<{ name: string; body: Body }>();
const shot = useShot();
const view = useView();
const report = ref<Report | null>(null);
const problem = ref("");
const text = computed(() => JSON.stringify([props.body.shape, props.body.steps, props.body.place.scale]));
const WORDS: Record<string, string> = {
  weld: "weld",
  fill: "fill holes",
  unify: "unify directions",
  solid: "make solid",
  subdivide: "subdivide",
  decimate: "decimate",
  scale: "applied scale",
  displace: "displace",
};
const HINTS: Record<string, string> = {
  weld: "join vertices that lie close together",
  fill: "close every open rim",
  unify: "make all faces look outwards; drop doubled and empty ones",
  solid: "build one clean closed surface round it; the last resort",
  subdivide: "split every triangle into four",
  decimate: "take triangles away where they matter least",
  displace: "move its vertices by a falloff: by the shared one that is chosen beside the body (Ctrl+click), or its own",
};
const NEW: Record<string, () => MeshStep> = {
  weld: () => ({ kind: "weld", distance: 1e-4 }),
  fill: () => ({ kind: "fill" }),
  unify: () => ({ kind: "unify" }),
  solid: () => ({ kind: "solid", detail: 64 }),
  subdivide: () => ({ kind: "subdivide", times: 1 }),
  decimate: () => ({ kind: "decimate", keep: 0.5 }),
  displace: () =>
    ({
      kind: "displace",
      reach: {
        layers: chosenFalloff(view) ? [] : [newLayer([0, 0, 0], Math.max(...(report.value?.size ?? [2])))],
        use: chosenFalloff(view),
        strength: 1,
        limits: [0, 1],
      },
      by: Number((0.05 * Math.max(...(report.value?.size ?? [2]))).toPrecision(2)),
      offset: [0, 0, 0],
    }) as unknown as MeshStep,
};
const GRAVE = new Set(["open", "branching", "flipped", "flat", "self-crossing", "empty", "not finite"]);
const scaled = computed(() => props.body.place.scale!.some((s) => Math.abs(s - 1) > 1e-9));
const shownKind = ref("");

watch(
  text,
  async (own) => {
    try {
      const found = await api.report(filled(props.body, shot.document?.falloffs, true));
      if (own !== text.value) return;
      report.value = found;
      problem.value = "";
      if (!found.defects.some((d) => d.kind === shownKind.value))
        show(found.defects.find((d) => GRAVE.has(d.kind))?.kind ?? "");
      else show(shownKind.value);
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      if (own === text.value) problem.value = error.message;
    }
  },
  { immediate: true },
);

/** the mesh as it came and as its steps leave it, in pictures */
const pictures = ref<string[]>([]);
function clearPictures(): void {
  pictures.value.forEach((p) => URL.revokeObjectURL(p));
  pictures.value = [];
}
watch(
  text,
  async (own) => {
    const whole = filled(props.body, shot.document?.falloffs, true);
    if (!whole.steps?.length) return clearPictures();
    try {
      const both = await Promise.all([{ ...whole, steps: [] }, whole].map((b) => api.picture(b as Body)));
      if (own !== text.value) return both.forEach((p) => URL.revokeObjectURL(p));
      clearPictures();
      pictures.value = both;
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      clearPictures(); // what is wrong is said by the report
    }
  },
  { immediate: true },
);
onBeforeUnmount(clearPictures);

function show(kind: string): void {
  shownKind.value = kind;
  view.marks = (report.value?.defects.find((d) => d.kind === kind)?.marks ?? []) as number[][];
}

const edit = (what: string, change: (b: Body) => void): void =>
  shot.editBody(props.name, `${what} of ${props.name}`, change);
/** Every step is one to undo, however quickly they follow each other. */
function add(kind: string): void {
  edit(WORDS[kind]!, (b) => b.steps.push(NEW[kind]!()));
  void shot.flush();
}

const mending = ref(false);
/** The steps that make it a solid, picked and put in order by the server: one edit. */
async function mend(): Promise<void> {
  const own = text.value;
  mending.value = true;
  problem.value = "";
  try {
    const { steps } = await api.mend(filled(props.body, shot.document?.falloffs, true));
    if (own !== text.value) return; // changed meanwhile: these steps were for another mesh
    if (steps?.length) {
      edit("mend", (b) => b.steps.push(...steps));
      void shot.flush();
    } else if (!steps) problem.value = "No way of mending it was found; it may be too thin: give it thickness.";
  } catch (error) {
    if (!(error instanceof ApiError)) throw error;
    problem.value = error.message;
  } finally {
    mending.value = false;
  }
}

/** The scale becomes the mesh's true size. */
function apply(): void {
  edit("apply scale", (b) => {
    const s = b.place.scale!;
    if (b.shape.kind === "box" && !b.steps.length)
      b.shape.size = b.shape.size!.map((x, k) => x * s[k]!) as [number, number, number];
    else b.steps.push({ kind: "scale", by: [...s] as [number, number, number] });
    b.place.scale = [1, 1, 1];
  });
}
</script>

<template>
  <Section
    data-testid="mesh-state"
    :title="`Mesh of ${name}`"
    :note="report ? `${report.triangles.toLocaleString('en')} tri` : ''">
    <p v-if="report" class="figures mute small">
      {{ report.size.map((s) => showNumber(s, 3)).join(" × ") }} m, true size
    </p>
    <FileUnit
      v-if="body.shape.kind === 'asset' && report"
      :name="name"
      :body="body"
      :longest="Math.max(...report.size)" />
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <ElButton
      v-if="report?.defects.some((d) => GRAVE.has(d.kind))"
      class="wide mend"
      :disabled="mending"
      v-hint="'Picks the gentlest steps that make it a solid, and adds them below'"
      data-testid="mend"
      @click="mend">
      {{ mending ? "Looking for a way" : "Mend it" }}
    </ElButton>
    <ul v-if="report?.defects.length" class="defects">
      <li
        v-for="d in report.defects"
        :key="d.kind"
        :class="{ grave: GRAVE.has(d.kind), shown: shownKind === d.kind }"
        data-testid="defect">
        <ElButton
          class="bare what"
          v-hint="d.marks.length ? 'Show where' : ''"
          @click="show(shownKind === d.kind ? '' : d.kind)">
          {{ d.sentence[0]!.toUpperCase() + d.sentence.slice(1) }}.
        </ElButton>
        <span class="mends"
          ><ElButton v-for="m in d.mends" :key="m" link v-hint="HINTS[m]" :data-testid="`mend-${m}`" @click="add(m)">
            {{ WORDS[m] }}
          </ElButton></span
        >
      </li>
    </ul>
    <p v-else-if="report" class="small mute">Closed and clean: a solid.</p>
    <div v-if="pictures.length" class="pictures" data-testid="before-after">
      <figure v-for="(p, k) in pictures" :key="p">
        <img :src="p" :alt="k ? 'the mesh after its steps' : 'the mesh as it came'" />
        <figcaption class="mute">{{ k ? "after" : "before" }}</figcaption>
      </figure>
    </div>
    <div v-for="(s, k) in body.steps" :key="k" class="step">
      <span
        >{{ k + 1 }} · {{ WORDS[s.kind]
        }}<template v-if="s.kind === 'scale'"> {{ s.by!.map((x) => showNumber(x, 3)).join(" × ") }}</template></span
      ><ElButton
        link
        class="mute"
        v-hint="`Take back ${WORDS[s.kind]}`"
        @click="edit(`take back ${WORDS[s.kind]}`, (b) => b.steps.splice(k, 1))">
        remove
      </ElButton>
      <p v-if="report?.steps[k]" class="did mute" data-testid="step-did">{{ report.steps[k] }}</p>
      <NumberRow
        v-if="s.kind === 'weld'"
        label="distance"
        :min="1e-9"
        :max="0.2"
        :model-value="s.distance!"
        hint="as a share of the mesh's size"
        @update:model-value="
          (v) => edit('weld distance', (b) => ((b.steps[k] as { distance: number }).distance = v))
        " />
      <NumberRow
        v-if="s.kind === 'solid'"
        label="detail"
        :hint="say('MakeSolid.detail')"
        whole
        :min="8"
        :max="160"
        :model-value="s.detail!"
        @update:model-value="(v) => edit('detail', (b) => ((b.steps[k] as { detail: number }).detail = v))" />
      <NumberRow
        v-if="s.kind === 'subdivide'"
        label="times"
        :hint="say('Subdivide.times')"
        whole
        :min="1"
        :max="4"
        :model-value="s.times!"
        @update:model-value="(v) => edit('subdivision', (b) => ((b.steps[k] as { times: number }).times = v))" />
      <NumberRow
        v-if="s.kind === 'decimate'"
        label="keep"
        :hint="say('Decimate.keep')"
        :min="0.01"
        :max="0.99"
        :model-value="s.keep!"
        @update:model-value="(v) => edit('decimation', (b) => ((b.steps[k] as { keep: number }).keep = v))" />
      <template v-if="s.kind === 'displace'">
        <NumberRow
          label="outwards"
          unit="m"
          :model-value="s.by!"
          hint="along the normals, where the value is 1"
          @update:model-value="(v) => edit('displacement', (b) => ((b.steps[k] as { by: number }).by = v))" />
        <div class="wide">
          <ReachEditor
            label="where"
            :model-value="s.reach as never"
            @update:model-value="(v) => edit('displacement', (b) => ((b.steps[k] as { reach: unknown }).reach = v))" />
        </div>
      </template>
    </div>
    <div class="more">
      <ElButton
        v-for="kind in ['subdivide', 'decimate', 'solid', 'displace']"
        :key="kind"
        link
        v-hint="HINTS[kind]"
        :data-testid="`step-${kind}`"
        @click="add(kind)">
        {{ WORDS[kind] }}
      </ElButton>
      <ElButton
        v-if="scaled"
        link
        v-hint="'make the scaled size the true one'"
        data-testid="apply-scale"
        @click="apply">
        apply the scale
      </ElButton>
    </div>
  </Section>
</template>

<style scoped>
.small {
  font-size: 12px;
}
.defects {
  list-style: none;
  margin: 6px 0;
  padding: 0;
  display: flex;
  flex-direction: column;
  gap: 6px;
}
.defects li {
  border-left: 3px solid var(--brass);
  padding-left: 8px;
  font-size: 12px;
  line-height: 1.45;
}
.defects li.grave {
  border-color: var(--ember);
}
.defects li.shown {
  background: var(--basalt-2);
}
.what {
  background: none;
  border: 0;
  padding: 0;
  text-align: left;
  cursor: pointer;
  color: var(--soft);
}
.mends {
  display: flex;
  flex-wrap: wrap;
  gap: 3px 12px;
  color: var(--accent);
}
.pictures {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 6px;
  margin-bottom: 6px;
}
.pictures figure {
  margin: 0;
}
.pictures img {
  display: block;
  width: 100%;
  border-radius: var(--radius);
  background: var(--basalt-2);
}
.pictures figcaption {
  font-size: 11.5px;
}
.step {
  border-top: 1px solid var(--line);
  padding: 5px 0;
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  font-size: 12px;
}
.mend {
  margin: 6px 0 2px;
}
.did {
  width: 100%;
  margin: 1px 0 3px;
}
.step .row,
.step .wide {
  width: 100%;
}
.more {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  font-size: 12px;
  color: var(--soft);
  padding-top: 6px;
}
</style>
