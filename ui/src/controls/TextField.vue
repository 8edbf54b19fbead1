<script setup lang="ts">
/** Words: what is typed is given when it is left or Enter is pressed; Escape gives it up. */
import { ElInput } from "element-plus";
import { onMounted, ref, watch } from "vue";

const props = defineProps<{
  modelValue: string;
  label: string;
  placeholder?: string;
  most?: number;
  rows?: number;
  /** begins with the focus, and everything in it chosen */
  now?: boolean;
}>();
const emit = defineEmits<{ "update:modelValue": [text: string]; left: [] }>();
const draft = ref(props.modelValue);
const input = ref<InstanceType<typeof ElInput> | null>(null);
watch(
  () => props.modelValue,
  (text) => (draft.value = text),
);
onMounted(() => props.now && input.value?.select());

function give(): void {
  if (draft.value !== props.modelValue) emit("update:modelValue", draft.value);
}

function leave(): void {
  give();
  emit("left");
}

function onKey(event: KeyboardEvent | Event): void {
  event.stopPropagation();
  if (!(event instanceof KeyboardEvent)) return;
  if (event.key === "Escape") draft.value = props.modelValue;
  if (event.key === "Escape" || (event.key === "Enter" && (!props.rows || event.ctrlKey)))
    (event.target as HTMLElement).blur();
}
</script>

<template>
  <ElInput
    ref="input"
    v-model="draft"
    size="small"
    :type="rows ? 'textarea' : 'text'"
    :rows="rows"
    resize="none"
    spellcheck="false"
    :maxlength="most"
    :placeholder="placeholder"
    :aria-label="label"
    @blur="leave"
    @keydown="onKey" />
</template>
