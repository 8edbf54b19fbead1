<script setup lang="ts">
/** Times one after the other, in seconds, or in frames ("20 f"); what is no time is said, and kept to be mended. */
import { ElInput } from "element-plus";
import { computed, ref, watch } from "vue";
import { readNumber } from "../lib/units";
import { useShot } from "../stores/shot";

const props = defineProps<{ label: string; modelValue: readonly number[] }>();
const emit = defineEmits<{ "update:modelValue": [times: number[]] }>();
const shot = useShot();
const typed = ref<string | null>(null);
const problem = ref("");
const fps = computed(() => shot.document?.timing.fps ?? 24);

function read(word: string): number {
  const frames = /^(.*\d)\s*f$/.exec(word);
  const time = frames ? readNumber(frames[1]!, "") / fps.value : readNumber(word, "s");
  if (time < 0) throw new Error("a time cannot be before the start");
  return Number(time.toFixed(6));
}

function accept(): void {
  if (typed.value === null) return;
  const words = typed.value
    .split(/[,;]|\s+(?=[\d.+-])/)
    .map((w) => w.trim())
    .filter(Boolean);
  const times: number[] = [];
  for (const word of words)
    try {
      times.push(read(word));
    } catch (error) {
      problem.value = `'${word}': ${(error as Error).message}. Write seconds, or frames as 20 f, with commas between.`;
      return;
    }
  forget();
  emit(
    "update:modelValue",
    [...new Set(times)].sort((a, b) => a - b),
  );
}

function forget(): void {
  typed.value = null;
  problem.value = "";
}
watch(() => props.modelValue, forget);

function onKey(event: KeyboardEvent | Event): void {
  event.stopPropagation();
  if (event instanceof KeyboardEvent && event.key === "Enter") accept();
  if (event instanceof KeyboardEvent && event.key === "Escape") forget();
}
</script>

<template>
  <span class="times">
    <ElInput
      size="small"
      class="figures"
      :model-value="typed ?? modelValue.join(', ')"
      :aria-label="label"
      :aria-invalid="!!problem"
      @input="(t: string) => (typed = t)"
      @blur="accept"
      @keydown="onKey" />
    <span v-if="problem" class="problem" role="alert">{{ problem }}</span>
  </span>
</template>
