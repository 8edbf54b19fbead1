<script setup lang="ts" generic="T extends string | number">
/** A labelled choice between a few words. */
defineProps<{ label: string; options: readonly (readonly [T, string, string?])[]; modelValue: T }>();
const emit = defineEmits<{ "update:modelValue": [value: T] }>();
</script>

<template>
  <div class="row">
    <span class="label">{{ label }}</span>
    <div class="choices wrap" role="group" :aria-label="label">
      <button
        v-for="[value, word, hint] in options"
        :key="value"
        :aria-pressed="value === modelValue"
        :title="hint"
        @click="emit('update:modelValue', value)">
        {{ word }}
      </button>
    </div>
  </div>
</template>

<style scoped>
.wrap {
  flex-wrap: wrap;
  padding: 2px 0;
}
</style>
