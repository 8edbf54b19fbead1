<script setup lang="ts">
import { ElButton } from "element-plus";
import { computed, ref } from "vue";
import { api } from "../api/client";
import Glyph from "../components/Glyph.vue";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";

const takes = useTakes();
const view = useView();
const busy = ref("");
const problem = ref("");
const ready = computed(() => (takes.current && takes.current.frames_done >= 0 ? takes.current : null));
const FORMATS: [string, string, string][] = [
  ["usdc", "USD", "pieces as animated transforms, with mass, state and skin as attributes"],
  ["glb", "GLB", "one file with animated pieces, for viewers and the web"],
  ["npz", "NPZ", "plain arrays of transforms and states"],
];

async function download(format: string): Promise<void> {
  const take = ready.value!;
  busy.value = format;
  problem.value = "";
  try {
    const response = await fetch(api.exportUrl(take.id, format));
    if (!response.ok) throw new Error(((await response.json()) as { message: string }).message);
    const name = /filename="?([^";]+)/.exec(response.headers.get("Content-Disposition") ?? "")?.[1] ?? `take.${format}`;
    const link = document.createElement("a");
    link.href = URL.createObjectURL(await response.blob());
    link.download = name;
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
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
      <ElButton
        v-for="[format, name, why] in FORMATS"
        :key="format"
        class="bare format"
        :disabled="!!busy"
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
