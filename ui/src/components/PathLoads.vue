<script setup lang="ts">
/** What a field and the weight of what is held put through the bonds of bodies, each at its worst bond. */
import { ElButton } from "element-plus";
import type { PathLoad } from "../api/types";
import { through } from "../lib/forecast";
import { showNumber } from "../lib/units";

defineProps<{ loads: readonly PathLoad[] }>();
const emit = defineEmits<{ breaks: [body: string] }>();
</script>

<template>
  <div v-for="at in loads" :key="at.body" class="path" data-testid="path-load">
    <div class="row">
      <span class="name">{{ at.body }}</span><b v-if="at.bonds" class="figures"
        >{{ showNumber(at.load, 3) }} of {{ showNumber(at.strength, 3) }} kN</b
      >
    </div>
    <div v-if="at.bonds" class="bar" role="img" :aria-label="through(at)">
      <i
        :class="{ over: at.load > at.strength }"
        :style="{ width: `${Math.min(1, at.load / at.strength || 0) * 100}%` }" />
    </div>
    <p class="mute small">
      {{ through(at) }}
      <ElButton v-if="at.rule !== 'fail' && at.over" link @click="emit('breaks', at.body)">let it break</ElButton>
    </p>
  </div>
</template>

<style scoped>
.path + .path {
  margin-top: 8px;
}
.row {
  display: flex;
  justify-content: space-between;
  font-size: 12px;
}
.name {
  overflow: hidden;
  text-overflow: ellipsis;
}
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
