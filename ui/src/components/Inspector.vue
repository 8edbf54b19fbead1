<script setup lang="ts">
/** The chosen body or field, and only that. */
import { ElScrollbar } from "element-plus";
import { computed, nextTick, onBeforeUnmount, ref, watch } from "vue";
import BodyInspector from "./BodyInspector.vue";
import FalloffInspector from "./FalloffInspector.vue";
import MapInspector from "./MapInspector.vue";
import FieldInspector from "./FieldInspector.vue";
import ShotInspector from "./ShotInspector.vue";
import TieInspector from "./TieInspector.vue";
import TraceCard from "./TraceCard.vue";
import type { WeightMap } from "../api/types";
import { useShot } from "../stores/shot";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";
import { differing } from "../lib/alike";
import { wordsOf } from "../lib/refused";

const emit = defineEmits<{ seek: [frame: number] }>();
const shot = useShot();
const view = useView();
const takes = useTakes();
const thing = computed(() => shot.things.find((t) => t.name === view.thing));
const falloff = computed(() =>
  view.selection?.kind === "falloff" ? shot.document?.falloffs.find((f) => f.name === view.selection?.name) : undefined,
);
const map = computed(
  () =>
    (view.selection?.kind === "map" ? shot.document?.maps.find((m) => m.name === view.selection?.name) : undefined) as
      | WeightMap
      | undefined,
);
const tie = computed(() =>
  view.selection?.kind === "tie" ? shot.ties.find((t) => t.name === view.selection?.name) : undefined,
);
const field = computed(() =>
  view.selection?.kind === "field" ? shot.fields.find((f) => f.name === view.selection?.name) : undefined,
);
/** what is chosen beside what is shown, of its kind: it is edited alike */
const THINGS = ["body", "group"];
const alike = computed(() => {
  const kind = view.selection?.kind ?? "";
  return view.more.filter((x) => x.kind === kind || (THINGS.includes(x.kind) && THINGS.includes(kind)));
});
watch(alike, (now) => (shot.alike = now), { immediate: true });
onBeforeUnmount(() => (shot.alike = []));
const unlike = computed(() => {
  if (!alike.value.length) return "";
  const all: Record<string, readonly { name: string }[]> = { field: shot.fields, tie: shot.ties };
  const names = [view.selection!, ...alike.value].map((x) => x.name);
  const own = all[view.selection!.kind] ?? shot.things.map((t) => ({ ...t.body, name: t.name }));
  return differing(names.flatMap((n) => own.find((x) => x.name === n) ?? [])).join(", ");
});
const why = ref<HTMLElement | null>(null);
watch(
  () => shot.refused,
  async (now) => {
    await nextTick();
    if (now.length) why.value?.scrollIntoView({ block: "nearest" });
  },
);
</script>

<template>
  <aside class="inspector" aria-label="Inspector">
    <ElScrollbar>
      <div v-if="shot.state === 'refused'" ref="why" class="problem refused" role="alert">
        <p v-for="r in shot.refused" :key="r.where">
          {{ r.where ? `${wordsOf(r.where, shot.document)}: ` : "" }}{{ r.message }}
        </p>
        <p v-if="!shot.refused.length">Not saved: {{ shot.refusal }}</p>
        <p class="mute">Everything else is saved. Mend it here, or undo to give it up.</p>
      </div>
      <p v-if="alike.length" class="alike" data-testid="alike">
        <b>{{ alike.length + 1 }} chosen.</b> What is set here is set for all; shown is {{ view.selection!.name
        }}<template v-if="unlike">. They differ in {{ unlike }}</template>.
      </p>
      <TraceCard v-if="view.traced && view.showing === 'take' && takes.current" @seek="(f) => emit('seek', f)" />
      <BodyInspector v-if="thing" :key="`b${thing.name}`" :thing="thing" />
      <FieldInspector v-else-if="field" :key="`f${field.name}`" :field="field" />
      <FalloffInspector v-else-if="falloff" :key="`o${falloff.name}`" :falloff="falloff" />
      <MapInspector v-else-if="map" :key="`m${map.name}`" :map="map" />
      <TieInspector v-else-if="tie" :key="`t${tie.name}`" :tie="tie" />
      <ShotInspector v-else-if="shot.document" />
    </ElScrollbar>
  </aside>
</template>

<style scoped>
.refused {
  padding: 8px 14px;
  border-bottom: 1px solid var(--line);
}
.alike {
  padding: 8px 14px;
  border-bottom: 1px solid var(--line);
  color: var(--soft);
}
.inspector {
  background: var(--basalt-1);
  height: 100%;
}
</style>
