/** The time axis of the cue sheet: what part of the shot it shows, and where frames lie on it. */
import { useElementSize } from "@vueuse/core";
import { computed, ref, watch, type Ref } from "vue";

/** pixels left free on either side */
const EDGE = 8;
const LEAST = 8;

export function useTimeAxis(area: Ref<HTMLElement | null>, total: Ref<number>, fps: Ref<number>) {
  const { width: measured } = useElementSize(area);
  const width = computed(() => measured.value || 900);
  /** first and last frame shown; null for all */
  const part = ref<[number, number] | null>(null);
  const from = computed(() => part.value?.[0] ?? 0);
  const to = computed(() => part.value?.[1] ?? Math.max(1, total.value));
  watch(total, () => (part.value = null));

  const x = (frame: number): number =>
    EDGE + ((frame - from.value) / (to.value - from.value)) * (width.value - 2 * EDGE);

  function frameAt(event: MouseEvent, whole = true): number {
    const rect = area.value!.getBoundingClientRect();
    const share = (event.clientX - rect.left - EDGE) / (rect.width - 2 * EDGE);
    const frame = Math.max(0, Math.min(total.value, from.value + share * (to.value - from.value)));
    return whole ? Math.round(frame) : frame;
  }

  function show(first: number, count: number): void {
    const wide = Math.min(total.value, Math.max(LEAST, count));
    const start = Math.max(0, Math.min(total.value - wide, first));
    part.value = wide >= total.value ? null : [start, start + wide];
  }

  /** Ctrl and the wheel: nearer or farther, round the pointer. Shift, or sideways: along. */
  function onWheel(event: WheelEvent): void {
    const count = to.value - from.value;
    if (event.ctrlKey) {
      event.preventDefault();
      const at = frameAt(event, false);
      const next = count * 1.2 ** Math.sign(event.deltaY);
      show(at - ((at - from.value) / count) * next, next);
    } else if (event.shiftKey || event.deltaX) {
      event.preventDefault();
      show(from.value + (Math.sign(event.deltaX || event.deltaY) * count) / 12, count);
    }
  }

  const ticks = computed(() => {
    const seconds = (to.value - from.value) / fps.value;
    const step = [0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20].find((s) => seconds / s <= Math.max(4, width.value / 80)) ?? 50;
    const first = Math.ceil(from.value / fps.value / step - 1e-6);
    const last = Math.floor(to.value / fps.value / step + 1e-6);
    return Array.from({ length: last - first + 1 }, (_, k) => ({
      at: x((first + k) * step * fps.value),
      text: `${Number(((first + k) * step).toFixed(2))} s`,
    }));
  });

  return { width, part, from, to, x, frameAt, onWheel, ticks, whole: () => (part.value = null) };
}
