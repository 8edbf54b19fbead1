<script setup lang="ts">
/** A colour. */
import { ElColorPicker } from "element-plus";

defineProps<{ label: string; modelValue: string }>();
const emit = defineEmits<{ "update:modelValue": [value: string] }>();
</script>

<template>
  <ElColorPicker
    size="small"
    color-format="hex"
    :model-value="modelValue"
    :aria-label="label"
    @change="(v) => v && emit('update:modelValue', v)" />
</template>
