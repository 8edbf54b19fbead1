<script setup lang="ts">
/** One tooltip for everything that has a hint. */
import { useEventListener, useMutationObserver } from "@vueuse/core";
import { ElTooltip } from "element-plus";
import { computed, ref, shallowRef } from "vue";

const AFTER = 450;
const target = shallowRef<HTMLElement | null>(null);
const text = ref("");
const open = ref(false);
/** what was pressed says no more until the pointer has left it: its list may have opened where the hint would be */
let pressed: HTMLElement | null = null;
let timer: ReturnType<typeof setTimeout> | undefined;

const hintedAt = (event: Event): HTMLElement | null =>
  event.target instanceof Element ? event.target.closest<HTMLElement>("[data-hint]") : null;

function hide(): void {
  clearTimeout(timer);
  open.value = false;
}

function rest(el: HTMLElement | null): void {
  if (el && el === pressed) return;
  pressed = null;
  if (el === target.value && open.value) return;
  hide();
  target.value = el;
  if (!el) return;
  timer = setTimeout(() => {
    text.value = el.dataset.hint ?? "";
    open.value = !!text.value && el.isConnected;
  }, AFTER);
}

/** What it is may change while it is said, and it may go. */
useMutationObserver(
  computed(() => (open.value ? document.body : null)),
  () => {
    const el = target.value;
    if (!el?.isConnected || !el.dataset.hint) hide();
    else text.value = el.dataset.hint;
  },
  { attributes: true, attributeFilter: ["data-hint"], childList: true, subtree: true },
);

useEventListener(document, "pointerover", (e) => e.pointerType !== "touch" && rest(hintedAt(e)));
useEventListener(document, "focusin", (e) => {
  if (e.target instanceof Element && e.target.matches(":focus-visible")) rest(hintedAt(e));
});
useEventListener(document, "pointerdown", (e) => (pressed = hintedAt(e)), { capture: true, passive: true });
for (const gone of ["pointerdown", "keydown", "wheel", "focusout"] as const)
  useEventListener(document, gone, hide, { capture: true, passive: true });
</script>

<template>
  <ElTooltip
    :visible="open"
    :virtual-ref="target ?? undefined"
    virtual-triggering
    :content="text"
    :enterable="false"
    :show-arrow="false"
    :offset="6"
    popper-class="hint"
    placement="bottom" />
</template>
