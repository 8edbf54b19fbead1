<script setup lang="ts">
/** Bodies and groups to choose from, with a figure each. */
import { ElButton } from "element-plus";
import { layoutCount } from "../lib/document";
import { usePieces } from "../stores/pieces";
import { useShot, type Thing } from "../stores/shot";
import { useView } from "../stores/view";

defineProps<{ figure: (thing: Thing) => string }>();
const shot = useShot();
const pieces = usePieces();
const view = useView();
</script>

<template>
  <div class="section list">
    <ElButton
      v-for="t in shot.things"
      :key="t.name"
      class="bare item"
      :class="{ chosen: view.thing === t.name }"
      @click="view.select({ kind: t.group ? 'group' : 'body', name: t.name })">
      <i :style="{ background: t.body.material.look?.color }" :class="{ many: t.group }" /><span
        >{{ t.name }}<small v-if="t.group"> × {{ layoutCount(t.group.layout) }}</small></span
      >
      <em v-if="pieces.errors.get(t.name)" class="problem">unusable</em><em v-else class="figures">{{ figure(t) }}</em>
    </ElButton>
  </div>
</template>

<style scoped>
.list {
  padding: 6px 0;
}
.item {
  display: flex;
  align-items: center;
  gap: 9px;
  width: 100%;
  height: 28px;
  padding: 0 14px;
  background: none;
  border: 0;
  cursor: pointer;
  text-align: left;
}
.item:hover {
  background: var(--basalt-2);
}
.item.chosen {
  background: var(--basalt-3);
}
.item i {
  width: 11px;
  height: 11px;
  border-radius: 3px;
  flex: none;
}
.item i.many {
  box-shadow:
    3px -3px 0 -1px var(--basalt-1),
    4px -4px 0 -1px var(--mute);
}
.item span {
  flex: 1;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.item small {
  color: var(--mute);
  font-size: 11.5px;
}
.item em {
  font-style: normal;
  color: var(--mute);
}
.item em.problem {
  color: var(--ember);
}
</style>
