<script setup lang="ts">
/** Something that is so, or not. */
import { ElSwitch } from "element-plus";

defineProps<{ label: string; modelValue: boolean; hint?: string }>();
const emit = defineEmits<{ "update:modelValue": [value: boolean] }>();
</script>

<template>
  <div v-hint="hint" class="row">
    <span class="label">{{ label }}</span>
    <ElSwitch
      size="small"
      :model-value="modelValue"
      :aria-label="label"
      @update:model-value="(v) => emit('update:modelValue', v === true)" />
  </div>
</template>
