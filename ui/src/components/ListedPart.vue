<script setup lang="ts">
/** One of several parts of a body in a panel: its name, and a cross that takes it out. */
import { ElButton } from "element-plus";
import Glyph from "./Glyph.vue";

defineProps<{ title: string; hint?: string }>();
const emit = defineEmits<{ drop: [] }>();
</script>

<template>
  <div class="own">
    <header>
      <b>{{ title }}</b
      ><ElButton text class="icon" v-hint="hint ?? 'Take it out'" @click="emit('drop')"
        ><Glyph name="cross" :size="11"
      /></ElButton>
    </header>
    <slot />
  </div>
</template>

<style scoped>
.own {
  border-top: 1px solid var(--line);
  padding: 4px 0 6px;
}
header {
  display: flex;
  justify-content: space-between;
  align-items: center;
}
</style>
