/** The playhead: through the set-up in the steps that set up, through the take in the others. */
import { computed, onBeforeUnmount, watch, type ComputedRef } from "vue";
import { useShot } from "../stores/shot";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";

export function usePlayback(): {
  lastFrame: ComputedRef<number>;
  seek: (frame: number) => void;
  toggle: () => void;
} {
  const shot = useShot();
  const takes = useTakes();
  const view = useView();
  const inTake = computed(() => view.showing === "take" && takes.frames !== null);
  const lastFrame = computed(() =>
    inTake.value ? Math.max(0, takes.frames!.count - 1) : (shot.document?.timing.frames ?? 240),
  );
  let began = 0;
  let from = 0;
  let request = 0;

  function toRun(): void {
    if (takes.frames && (view.step === "run" || view.step === "export")) view.showing = "take";
  }

  function seek(frame: number): void {
    toRun();
    view.frame = Math.max(0, Math.min(frame, lastFrame.value));
  }

  function goFrom(frame: number, now: number): number {
    from = frame;
    began = now;
    return frame;
  }

  /** The frame after the last one: waits for those still being baked, begins again, or stays. */
  function past(now: number): number {
    if (inTake.value && takes.baking && takes.baking.id === takes.current?.id) return goFrom(lastFrame.value, now);
    if (view.loop) return goFrom(0, now);
    view.playing = false;
    return lastFrame.value;
  }

  function tick(now: number): void {
    if (!view.playing) return;
    const fps = (inTake.value ? takes.document : shot.document)?.timing.fps ?? 24;
    const due = from + Math.floor(((now - began) / 1000) * fps);
    const frame = due > lastFrame.value ? past(now) : due;
    if (frame !== view.frame) view.frame = frame;
    request = requestAnimationFrame(tick);
  }

  function play(): void {
    toRun();
    if (view.frame >= lastFrame.value) view.frame = 0;
    goFrom(view.frame, performance.now());
    view.playing = true;
    request = requestAnimationFrame(tick);
  }

  function toggle(): void {
    if (view.playing) view.playing = false;
    else play();
  }

  watch(
    () => view.playing,
    (on) => {
      if (!on) cancelAnimationFrame(request);
    },
  );
  onBeforeUnmount(() => {
    view.playing = false;
    cancelAnimationFrame(request);
  });
  return { lastFrame, seek, toggle };
}
