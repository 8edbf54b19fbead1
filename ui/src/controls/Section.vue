<script setup lang="ts">
/** A part of a panel under its title, which folds; what is folded stays so in every shot. */
import { useStorage } from "@vueuse/core";
import { ElCollapse, ElCollapseItem } from "element-plus";
import { computed } from "vue";

const props = defineProps<{
  title: string;
  /** a few words at the end of the title's line */
  note?: string;
  /** what it is remembered by, where its title changes */
  as?: string;
}>();
const folded = useStorage<Record<string, boolean>>("folded", {});
const key = computed(() => props.as ?? props.title);
const open = computed({
  get: () => (folded.value[key.value] ? [] : ["it"]),
  set: (now) => (folded.value = { ...folded.value, [key.value]: !now.length }),
});
</script>

<template>
  <ElCollapse v-model="open" class="section folding">
    <ElCollapseItem name="it">
      <template #title
        ><h3>{{ title }}</h3>
        <span v-if="note" class="at-end">{{ note }}</span></template
      >
      <slot />
    </ElCollapseItem>
    <span v-if="$slots.actions" class="actions"><slot name="actions" /></span>
  </ElCollapse>
</template>

<style scoped>
.folding {
  position: relative;
  border-top: 0;
  padding: 0;
}
.folding :deep(.el-collapse-item__header) {
  height: 36px;
  padding: 0 14px;
  gap: 8px;
  border: 0;
  background: none;
  color: var(--chalk);
}
.folding :deep(.el-collapse-item__title) {
  display: flex;
  flex: 1;
  align-items: baseline;
  gap: 8px;
  min-width: 0;
  white-space: nowrap;
  overflow: hidden;
}
.folding :deep(.el-collapse-item__wrap) {
  border: 0;
  background: none;
}
.folding :deep(.el-collapse-item__content) {
  padding: 0 14px 12px;
  font: inherit;
  color: inherit;
}
.at-end {
  margin-left: auto;
  color: var(--mute);
  font-weight: 400;
  font-size: 12px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.folding :deep(.el-collapse-item__arrow) {
  order: -1;
  margin: 0;
  width: 10px;
  color: var(--mute);
  font-size: 10px;
}
.actions {
  position: absolute;
  right: 14px;
  top: 8px;
  display: flex;
  gap: 10px;
}
</style>
