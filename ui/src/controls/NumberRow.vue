<script setup lang="ts">
/** A labelled number on a row of its own. */
import NumberField from "./NumberField.vue";

defineProps<{
  label: string;
  modelValue: number;
  unit?: string;
  min?: number;
  max?: number;
  step?: number;
  whole?: boolean;
  initial?: number;
  hint?: string;
}>();
const emit = defineEmits<{ "update:modelValue": [value: number] }>();
</script>

<template>
  <div class="row" v-hint="hint">
    <label>{{ label }}</label
    ><NumberField
      :label="label"
      :unit="unit"
      :min="min"
      :max="max"
      :step="step"
      :whole="whole"
      :initial="initial"
      :model-value="modelValue"
      @update:model-value="emit('update:modelValue', $event)" />
  </div>
</template>
