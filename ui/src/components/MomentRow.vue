<script setup lang="ts">
/** What happened at a frame of a take, or over some, in a line that leads there. */
import { ElButton } from "element-plus";

defineProps<{ first: number; last?: number; words: string; count?: string }>();
</script>

<template>
  <ElButton class="bare moment">
    <b class="figures">{{ (last ?? first) > first ? `f ${first}–${last}` : `f ${first}` }}</b
    ><span v-hint="words">{{ words }}</span><em v-if="count" class="figures">{{ count }}</em>
  </ElButton>
</template>

<style scoped>
.moment {
  display: flex;
  gap: 10px;
  width: 100%;
  height: 24px;
  align-items: center;
  background: none;
  border: 0;
  cursor: pointer;
  border-radius: 3px;
  padding: 0 4px;
}
.moment:hover {
  background: var(--basalt-3);
}
.moment b {
  min-width: 46px;
  flex: none;
  text-align: left;
  font-weight: 500;
  color: var(--accent);
}
.moment span {
  flex: 1;
  text-align: left;
  color: var(--soft);
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.moment em {
  font-style: normal;
  color: var(--ember);
}
</style>
