<script setup lang="ts">
/** What a field and the weight of what is held put through the bonds of bodies, each at its worst bond. */
import { ElButton } from "element-plus";
import type { PathLoad } from "../api/types";
import { through } from "../lib/forecast";
import { showNumber } from "../lib/units";
import ShareBar from "./ShareBar.vue";

defineProps<{ loads: readonly PathLoad[] }>();
const emit = defineEmits<{ breaks: [body: string] }>();
</script>

<template>
  <div v-for="at in loads" :key="at.body" class="path" data-testid="path-load">
    <div class="row">
      <span class="name">{{ at.body }}</span
      ><b v-if="at.bonds" class="figures">{{ showNumber(at.load, 3) }} of {{ showNumber(at.strength, 3) }} kN</b>
    </div>
    <ShareBar v-if="at.bonds" role="img" :aria-label="through(at)" :load="at.load" :strength="at.strength" />
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
</style>
