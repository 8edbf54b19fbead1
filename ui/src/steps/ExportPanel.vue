<script setup lang="ts">
import { ElButton } from "element-plus";
import { computed, ref, watch } from "vue";
import { api } from "../api/client";
import Glyph from "../components/Glyph.vue";
import NumberRow from "../controls/NumberRow.vue";
import SwitchRow from "../controls/SwitchRow.vue";
import Toggles from "../controls/Toggles.vue";
import { thingsOf } from "../stores/shot";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";

const takes = useTakes();
const view = useView();
const busy = ref("");
const problem = ref("");
const ready = computed(() => (takes.current && takes.current.frames_done >= 0 ? takes.current : null));
const FORMATS: [string, string, string][] = [
  ["usdc", "USD", "pieces as animated transforms, with mass, state and skin as attributes"],
  ["glb", "GLB", "one file with all that moves, for viewers and the web"],
  ["npz", "NPZ", "plain arrays of transforms and states"],
  ["obj", "OBJ sequence", "a mesh for every frame, an object a piece, in a ZIP"],
  ["ply", "PLY sequence", "the same as binary PLY, coloured"],
];

const end = computed(() => Math.max(0, (ready.value?.frames_done ?? 1) - 1));
const first = ref(0);
const last = ref<number | null>(null);
const step = ref(1);
const backwards = ref(false);
/** the document the take was baked from goes along */
const setup = ref(false);
const left = ref<string[]>([]);
const things = computed(() => (takes.document ? thingsOf(takes.document).map((t) => t.name) : []));
const chosen = computed(() => things.value.filter((n) => !left.value.includes(n)));
watch(
  () => ready.value?.id,
  () => ([first.value, last.value, left.value] = [0, null, []]),
);
/** what is asked for beside the whole */
const asked = computed(() => ({
  ...(first.value > 0 ? { first: first.value } : {}),
  ...(last.value !== null && last.value < end.value ? { last: last.value } : {}),
  ...(step.value > 1 ? { step: step.value } : {}),
  ...(backwards.value ? { backwards: true } : {}),
  ...(left.value.length ? { bodies: chosen.value.join("\n") } : {}),
}));
const count = computed(
  () => Math.floor((Math.max(first.value, last.value ?? end.value) - first.value) / step.value) + 1,
);

/** A file for the browser to keep. */
function give(content: Blob, name: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(content);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
}

async function download(format: string): Promise<void> {
  const take = ready.value!;
  busy.value = format;
  problem.value = "";
  try {
    const response = await fetch(api.exportUrl(take.id, format, asked.value));
    if (!response.ok) throw new Error(((await response.json()) as { message: string }).message);
    const name = /filename="?([^";]+)/.exec(response.headers.get("Content-Disposition") ?? "")?.[1] ?? `take.${format}`;
    give(await response.blob(), name);
    if (setup.value) {
      const text = JSON.stringify(await api.takeDocument(take.id), null, 1);
      give(new Blob([text], { type: "application/json" }), name.replace(/\.[a-z]+$/, " set-up.json"));
    }
  } catch (error) {
    problem.value = (error as Error).message;
  } finally {
    busy.value = "";
  }
}
</script>

<template>
  <div class="section">
    <div class="panel-head">
      <h2>Export</h2>
      <span v-if="ready">take {{ String(ready.number).padStart(2, "0") }}, {{ ready.frames_done }} frames</span>
    </div>
    <template v-if="ready">
      <NumberRow
        label="from frame"
        hint="the first frame that is written"
        whole
        :min="0"
        :max="last ?? end"
        :initial="0"
        :model-value="first"
        @update:model-value="(f) => (first = f)" />
      <NumberRow
        label="to frame"
        hint="the last frame that is written"
        whole
        :min="first"
        :max="end"
        :initial="end"
        :model-value="last ?? end"
        @update:model-value="(f) => (last = f)" />
      <NumberRow
        label="every"
        hint="every so many frames"
        unit="f"
        whole
        :min="1"
        :max="1000"
        :initial="1"
        :model-value="step"
        @update:model-value="(n) => (step = n)" />
      <SwitchRow
        label="backwards"
        hint="from the last frame to the first"
        :model-value="backwards"
        @update:model-value="(b) => (backwards = b)" />
      <SwitchRow
        v-hint="'The shot as it was baked, as a document that the command line bakes again'"
        label="with set‑up"
        :model-value="setup"
        @update:model-value="(on) => (setup = on)" />
      <div v-if="things.length > 1" class="row">
        <span class="label">bodies</span>
        <Toggles
          label="bodies"
          column
          :options="things.map((n) => [n, n] as const)"
          :model-value="chosen"
          @update:model-value="(names) => (left = things.filter((n) => !names.includes(n)))" />
      </div>
      <p class="mute small figures">{{ chosen.length ? `${count} frames` : "choose at least one body" }}</p>
      <ElButton
        v-for="[format, name, why] in FORMATS"
        :key="format"
        class="bare format"
        :disabled="!!busy || !chosen.length"
        :data-testid="`export-${format}`"
        @click="download(format)">
        <Glyph name="export" :size="20" />
        <div>
          <b>{{ busy === format ? `writing ${name}…` : name }}</b>
          <p>{{ why }}</p>
        </div>
      </ElButton>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    </template>
    <p v-else class="mute">
      There is no take to hand on yet. <ElButton link @click="view.step = 'run'">Bake one first</ElButton>.
    </p>
  </div>
</template>

<style scoped>
.small {
  font-size: 12px;
  margin: 4px 0 8px;
}
.format {
  display: flex;
  gap: 12px;
  align-items: center;
  width: 100%;
  text-align: left;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--basalt-2);
  padding: 10px 12px;
  margin-bottom: 6px;
  cursor: pointer;
}
.format:hover:not(:disabled) {
  border-color: var(--accent);
}
.format p {
  color: var(--mute);
  font-size: 12px;
}
</style>
