<script setup lang="ts">
/** Three numbers side by side. */
import NumberField from "./NumberField.vue";

const props = withDefaults(
  defineProps<{
    modelValue: readonly number[];
    label: string;
    unit?: string;
    min?: number;
    initial?: number;
    marks?: string;
    whole?: boolean;
  }>(),
  { unit: "", min: -1e6, initial: undefined, marks: "xyz", whole: false },
);
const emit = defineEmits<{ "update:modelValue": [value: [number, number, number]] }>();

function set(k: number, value: number): void {
  const next = [...props.modelValue] as [number, number, number];
  next[k] = value;
  emit("update:modelValue", next);
}
</script>

<template>
  <span class="triple">
    <NumberField
      v-for="k in [0, 1, 2]"
      :key="k"
      :model-value="modelValue[k]!"
      :label="`${label} ${marks[k]}`"
      :mark="marks[k]"
      :unit="unit"
      :bare="unit.length > 2"
      :min="min"
      :whole="whole"
      :initial="initial"
      @update:model-value="set(k, $event)" />
  </span>
</template>

<style scoped>
.triple :deep(.el-input__inner) {
  font-size: 11.5px;
}
.triple :deep(.el-input__wrapper) {
  padding-right: 5px;
}
</style>
