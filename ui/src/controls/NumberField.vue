<script setup lang="ts">
/** A number with a unit: drag the handle to change it, or type arithmetic and units ("3*1.2 m"). */
import { ElInput } from "element-plus";
import { computed, nextTick, ref, watch } from "vue";
import { follow } from "../composables/useDrag";
import { readNumber, showNumber } from "../lib/units";

const props = withDefaults(
  defineProps<{
    modelValue: number;
    label: string;
    unit?: string;
    min?: number;
    max?: number;
    /** change per pixel of dragging; by default in proportion to the value */
    step?: number;
    whole?: boolean;
    /** short mark inside the field, such as an axis */
    mark?: string;
    /** what double-click on the handle goes back to */
    initial?: number;
    /** its unit stands elsewhere */
    bare?: boolean;
  }>(),
  { unit: "", min: -1e6, max: 1e6, step: 0, whole: false, mark: "", initial: undefined },
);
const emit = defineEmits<{ "update:modelValue": [value: number] }>();
const typed = ref<string | null>(null);
const problem = ref("");
const why = ref<HTMLElement | null>(null);
const shown = computed(() => typed.value ?? showNumber(props.modelValue));
const hint = computed(() => {
  const range =
    props.min > -1e6 || props.max < 1e6
      ? ` · ${showNumber(props.min)} to ${props.max >= 1e6 ? "any" : showNumber(props.max)}`
      : "";
  return `${props.label}${props.unit ? ` [${props.unit}]` : ""}${range} · drag to change, type sums and units${props.initial === undefined ? "" : `, double-click to reset to ${showNumber(props.initial)}`}`;
});

function give(value: number): void {
  const x = props.whole ? Math.round(value) : value;
  const kept = Math.min(props.max, Math.max(props.min, x));
  if (kept !== props.modelValue) emit("update:modelValue", kept);
}

function accept(): boolean {
  if (typed.value === null) return true;
  try {
    const value = readNumber(typed.value, props.unit);
    if (value < props.min || value > props.max) {
      problem.value = `must be ${value < props.min ? `at least ${showNumber(props.min)}` : `at most ${showNumber(props.max)}`}${props.unit ? ` ${props.unit}` : ""}`;
      return false;
    }
    give(value);
  } catch (error) {
    problem.value = (error as Error).message;
    return false;
  }
  typed.value = null;
  problem.value = "";
  return true;
}

function onKey(event: KeyboardEvent | Event): void {
  if (!(event instanceof KeyboardEvent)) return;
  event.stopPropagation();
  if (event.key === "Enter") {
    if (accept()) (event.target as HTMLInputElement).blur();
  } else if (event.key === "Escape") {
    forget();
    (event.target as HTMLInputElement).blur();
  } else if (event.key === "ArrowUp" || event.key === "ArrowDown") {
    event.preventDefault();
    typed.value = null;
    const by = props.whole
      ? 1
      : props.step
        ? props.step * 10
        : 10 ** Math.floor(Math.log10(Math.max(0.01, Math.abs(props.modelValue))) - 0.5);
    give(props.modelValue + (event.key === "ArrowUp" ? by : -by) * (event.shiftKey ? 10 : 1));
  }
}

/** What was typed is given up. */
function forget(): void {
  typed.value = null;
  problem.value = "";
}
watch(() => props.modelValue, forget); // changed elsewhere: undone, dragged in the view
watch(problem, async (now) => {
  await nextTick();
  if (now) why.value?.scrollIntoView({ block: "nearest" });
});

function drag(event: PointerEvent): void {
  const start = props.modelValue;
  const x0 = event.clientX;
  const per = props.step || Math.max(Math.abs(start), 0.2) / (props.whole ? 120 : 150);
  follow(event, (e) => give(Number((start + (e.clientX - x0) * per * (e.shiftKey ? 0.1 : 1)).toPrecision(4))));
}
</script>

<template>
  <span v-hint="hint" class="number" :class="{ bad: problem }">
    <ElInput
      size="small"
      :model-value="shown"
      :aria-label="label"
      :aria-invalid="!!problem"
      inputmode="decimal"
      spellcheck="false"
      autocomplete="off"
      @input="(text: string) => (typed = text)"
      @focus="(e: FocusEvent) => (e.target as HTMLInputElement).select()"
      @blur="accept"
      @keydown="onKey">
      <template #prefix
        ><span class="handle" @pointerdown.prevent="drag" @dblclick="initial !== undefined && give(initial)">{{
          mark || "·"
        }}</span></template
      >
      <template v-if="unit && !bare" #suffix>{{ unit }}</template>
    </ElInput>
    <span v-if="problem" ref="why" class="why" role="alert">{{ problem }}</span>
  </span>
</template>

<style scoped>
.number {
  display: block;
  min-width: 0;
}
.number :deep(.el-input__wrapper) {
  padding: 0 7px 0 0;
}
.number :deep(.el-input__inner) {
  font: 12px var(--figures);
  text-align: right;
}
.number :deep(.el-input__prefix),
.number :deep(.el-input__suffix) {
  color: var(--mute);
  font-size: 11px;
}
.number :deep(.el-input__suffix-inner) > :first-child,
.number :deep(.el-input__suffix-inner) {
  margin-left: 3px;
}
.bad :deep(.el-input__wrapper) {
  box-shadow: 0 0 0 1px var(--ember) inset;
}
.handle {
  width: 16px;
  text-align: center;
  cursor: ew-resize;
  font: 11px/24px var(--figures);
  user-select: none;
  touch-action: none;
}
.handle:hover {
  color: var(--accent);
}
.why {
  display: block;
  color: var(--ember);
  font-size: 11.5px;
  line-height: 1.35;
  padding: 2px 0 4px;
}
</style>
