<script setup lang="ts" generic="T extends string | number | boolean">
/** A labelled choice between a few words. */
import type { Option } from "./choices";
import Choices from "./Choices.vue";

defineProps<{
  label: string;
  options: readonly Option<T>[];
  modelValue: T | null | undefined;
  ids?: string;
  hint?: string;
}>();
const emit = defineEmits<{ "update:modelValue": [value: T] }>();
</script>

<template>
  <div v-hint="hint" class="row">
    <span class="label">{{ label }}</span>
    <Choices
      :label="label"
      :options="options"
      :model-value="modelValue"
      :ids="ids"
      @update:model-value="(v) => emit('update:modelValue', v)" />
  </div>
</template>
