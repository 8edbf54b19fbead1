<script setup lang="ts">
/** Load and strength as bars on one scale. */
import { computed } from "vue";
import { showNumber } from "../lib/units";

const props = defineProps<{ load: number; low: number; high: number; breaks: number; bonds: number; more?: string }>();
const top = computed(() => Math.max(props.load, props.high, 1e-6) * 1.04);
</script>

<template>
  <div class="bars">
    <div class="bar load">
      <i :style="{ width: `${(load / top) * 100}%` }" /><span>load, at most</span
      ><b class="figures">{{ showNumber(load, 3) }} kN</b>
    </div>
    <div class="bar high">
      <i :style="{ width: `${(high / top) * 100}%` }" /><span>strongest bond</span
      ><b class="figures">{{ showNumber(high, 3) }} kN</b>
    </div>
    <div class="bar low">
      <i :style="{ width: `${(low / top) * 100}%` }" /><span>weakest bond</span
      ><b class="figures">{{ showNumber(low, 3) }} kN</b>
    </div>
    <p class="figures sum">breaks <b>{{ breaks }}</b> of {{ bonds }} bonds in reach</p>
    <p v-if="more" class="mute more" data-testid="not-foreseen">{{ more }}</p>
  </div>
</template>

<style scoped>
.more {
  font-size: 12px;
}
.bar {
  position: relative;
  height: 20px;
  background: var(--basalt-3);
  border-radius: 3px;
  margin-bottom: 4px;
  display: flex;
  align-items: center;
  justify-content: space-between;
  padding: 0 8px;
  overflow: hidden;
  font-size: 12px;
}
.bar i {
  position: absolute;
  inset: 0 auto 0 0;
  opacity: 0.38;
}
.bar span,
.bar b {
  position: relative;
  font-weight: 500;
}
.load i {
  background: var(--ember);
}
.high i {
  background: var(--brass);
}
.low i {
  background: var(--brass);
  opacity: 0.3;
}
.sum {
  color: var(--soft);
  margin-top: 6px;
}
.sum b {
  color: var(--ember);
}
</style>
