<script setup lang="ts" generic="T extends string | number | boolean">
/** One of a few words, all of them in sight. */
import { ElRadioButton, ElRadioGroup } from "element-plus";
import type { Option } from "./choices";
import Glyph from "../components/Glyph.vue";

defineProps<{
  label: string;
  options: readonly Option<T>[];
  modelValue: T | null | undefined;
  /** drawn by the glyphs of their values, with their words as hints */
  glyphs?: boolean;
  /** one over the other */
  column?: boolean;
  /** test ids are this with the value */
  ids?: string;
}>();
const emit = defineEmits<{ "update:modelValue": [value: T] }>();
</script>

<template>
  <ElRadioGroup
    class="choices"
    :class="{ column }"
    size="small"
    :model-value="modelValue ?? undefined"
    :aria-label="label"
    @update:model-value="(v) => emit('update:modelValue', v as T)">
    <ElRadioButton
      v-for="[value, word, why, disabled] in options"
      :key="String(value)"
      v-hint="glyphs ? (why ?? word) : why"
      :value="value"
      :disabled="disabled"
      :data-testid="ids === undefined ? undefined : `${ids}${value}`">
      <Glyph v-if="glyphs" :name="String(value)" :size="14" /><template v-else>{{ word }}</template>
    </ElRadioButton>
  </ElRadioGroup>
</template>
