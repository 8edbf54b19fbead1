<script setup lang="ts" generic="T extends string | number">
/** One of many words, from a list that opens. */
import { ElOption, ElOptionGroup, ElSelect } from "element-plus";
import { computed } from "vue";
import type { Option, OptionGroup } from "./choices";

const props = defineProps<{
  label: string;
  options?: readonly Option<T>[];
  groups?: readonly OptionGroup<T>[];
  modelValue: T | null | undefined;
  /** what stands there while nothing is chosen */
  empty?: string;
}>();
const emit = defineEmits<{ "update:modelValue": [value: T] }>();
const count = computed(
  () => (props.options?.length ?? 0) + (props.groups ?? []).reduce((n, g) => n + g.options.length, 0),
);
</script>

<template>
  <ElSelect
    class="pick"
    size="small"
    :model-value="modelValue ?? undefined"
    :aria-label="label"
    :placeholder="empty ?? 'choose'"
    :empty-values="[null, undefined]"
    :filterable="count > 10"
    :fit-input-width="false"
    :show-arrow="false"
    :offset="4"
    @update:model-value="(v: T) => emit('update:modelValue', v)"
    @keydown.stop>
    <ElOption
      v-for="[value, word, why, disabled] in options ?? []"
      :key="value"
      v-hint="why"
      :value="value"
      :label="word"
      :disabled="disabled" />
    <ElOptionGroup v-for="g in groups ?? []" :key="g.label" :label="g.label">
      <ElOption
        v-for="[value, word, why, disabled] in g.options"
        :key="value"
        v-hint="why"
        :value="value"
        :label="word"
        :disabled="disabled" />
    </ElOptionGroup>
  </ElSelect>
</template>
