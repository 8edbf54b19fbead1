<script setup lang="ts" generic="T extends string | number">
/** Any of a few words. */
import { ElCheckboxButton, ElCheckboxGroup } from "element-plus";
import type { Option } from "./choices";

defineProps<{ label: string; options: readonly Option<T>[]; modelValue: readonly T[]; column?: boolean }>();
const emit = defineEmits<{ "update:modelValue": [value: T[]] }>();
</script>

<template>
  <ElCheckboxGroup
    class="choices"
    :class="{ column }"
    size="small"
    :model-value="[...modelValue]"
    :aria-label="label"
    @update:model-value="(v) => emit('update:modelValue', v as T[])">
    <ElCheckboxButton v-for="[value, word, why] in options" :key="value" v-hint="why" :value="value">{{
      word
    }}</ElCheckboxButton>
  </ElCheckboxGroup>
</template>
