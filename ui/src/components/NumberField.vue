<script setup lang="ts">
/** A number with a unit: drag the handle to change it, or type arithmetic and units ("3*1.2 m"). */
import { computed, ref } from "vue";
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
  }>(),
  { unit: "", min: -1e6, max: 1e6, step: 0, whole: false, mark: "", initial: undefined },
);
const emit = defineEmits<{ "update:modelValue": [value: number] }>();
const typed = ref<string | null>(null);
const problem = ref("");
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

function onKey(event: KeyboardEvent): void {
  event.stopPropagation();
  if (event.key === "Enter") {
    if (accept()) (event.target as HTMLInputElement).blur();
  } else if (event.key === "Escape") {
    typed.value = null;
    problem.value = "";
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

function onBlur(): void {
  if (!accept()) {
    typed.value = null;
    setTimeout(() => (problem.value = ""), 4000);
  }
}

function drag(event: PointerEvent): void {
  const handle = event.currentTarget as HTMLElement;
  handle.setPointerCapture(event.pointerId);
  const start = props.modelValue;
  const x0 = event.clientX;
  const per = props.step || Math.max(Math.abs(start), 0.2) / (props.whole ? 120 : 150);
  const move = (e: PointerEvent): void =>
    give(Number((start + (e.clientX - x0) * per * (e.shiftKey ? 0.1 : 1)).toPrecision(4)));
  const up = (): void => {
    handle.removeEventListener("pointermove", move);
    handle.removeEventListener("pointerup", up);
    handle.removeEventListener("pointercancel", up);
  };
  handle.addEventListener("pointermove", move);
  handle.addEventListener("pointerup", up);
  handle.addEventListener("pointercancel", up);
}
</script>

<template>
  <span class="number" :class="{ bad: problem }" :title="hint">
    <span class="handle" @pointerdown.prevent="drag" @dblclick="initial !== undefined && give(initial)">{{
      mark || "·"
    }}</span>
    <input
      :value="shown"
      :aria-label="label"
      :aria-invalid="!!problem"
      inputmode="decimal"
      spellcheck="false"
      autocomplete="off"
      @input="typed = ($event.target as HTMLInputElement).value"
      @focus="($event.target as HTMLInputElement).select()"
      @blur="onBlur"
      @keydown="onKey" />
    <span v-if="unit" class="unit">{{ unit }}</span>
    <span v-if="problem" class="why" role="alert">{{ problem }}</span>
  </span>
</template>

<style scoped>
.number {
  position: relative;
  display: flex;
  align-items: center;
  height: 26px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--basalt-2);
  min-width: 0;
}
.number:hover {
  border-color: var(--line-strong);
}
.number:focus-within {
  border-color: var(--accent);
}
.number.bad {
  border-color: var(--ember);
}
.handle {
  width: 16px;
  text-align: center;
  color: var(--mute);
  cursor: ew-resize;
  font: 11px var(--figures);
  user-select: none;
  touch-action: none;
  align-self: stretch;
  line-height: 24px;
  flex: none;
}
.handle:hover {
  color: var(--accent);
}
input {
  flex: 1;
  min-width: 0;
  width: 100%;
  border: 0;
  background: none;
  outline: none;
  font: 12px var(--figures);
  text-align: right;
  padding: 0 6px 0 0;
}
.unit {
  color: var(--mute);
  font-size: 11px;
  padding-right: 7px;
  white-space: nowrap;
}
.why {
  position: absolute;
  top: 27px;
  right: 0;
  z-index: 20;
  background: var(--basalt-0);
  border: 1px solid var(--ember);
  color: var(--ember);
  border-radius: var(--radius);
  padding: 2px 8px;
  font-size: 11.5px;
  white-space: nowrap;
}
</style>
