<script setup lang="ts" generic="T extends string | number">
/** A labelled choice from a list that opens. */
import type { Option, OptionGroup } from "./choices";
import Pick from "./Pick.vue";

defineProps<{
  label: string;
  options?: readonly Option<T>[];
  groups?: readonly OptionGroup<T>[];
  modelValue: T | null | undefined;
  hint?: string;
  empty?: string;
  id?: string;
}>();
const emit = defineEmits<{ "update:modelValue": [value: T] }>();
</script>

<template>
  <div v-hint="hint" class="row">
    <span class="label">{{ label }}</span>
    <Pick
      :label="label"
      :options="options"
      :groups="groups"
      :model-value="modelValue"
      :empty="empty"
      :data-testid="id"
      @update:model-value="(v) => emit('update:modelValue', v)" />
  </div>
</template>
