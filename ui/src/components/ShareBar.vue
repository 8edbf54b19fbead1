<script setup lang="ts">
/** How much of a strength a load takes, as a bar. */
defineProps<{ load: number; strength: number }>();
</script>

<template>
  <div class="bar">
    <i :class="{ over: load > strength }" :style="{ width: `${Math.min(1, load / strength || 0) * 100}%` }" />
  </div>
</template>

<style scoped>
.bar {
  height: 6px;
  margin: 3px 0;
  border-radius: 3px;
  background: var(--basalt-3);
  overflow: hidden;
}
.bar i {
  display: block;
  height: 100%;
  background: var(--brass);
}
.bar i.over {
  background: var(--ember);
}
</style>
