<script setup lang="ts">
/** Compass, scale bar and the button that brings everything into view, in a corner of the view. */
import { computed } from "vue";
import Glyph from "./Glyph.vue";

const props = defineProps<{ azimuth: number; metresPerPixel: number }>();
const emit = defineEmits<{ fit: [] }>();

/** The longest round length that is no longer than 110 pixels. */
const scale = computed(() => {
  const wish = props.metresPerPixel * 110;
  const power = 10 ** Math.floor(Math.log10(wish));
  const nice =
    [1, 2, 5, 10]
      .map((k) => k * power)
      .filter((d) => d <= wish)
      .at(-1) ?? power;
  return {
    pixels: nice / props.metresPerPixel,
    text:
      nice >= 1
        ? `${nice} m`
        : nice >= 0.01
          ? `${Number((nice * 100).toPrecision(2))} cm`
          : `${Number((nice * 1000).toPrecision(2))} mm`,
  };
});
</script>

<template>
  <div class="corner">
    <svg width="44" height="44" viewBox="-22 -22 44 44" aria-label="compass: the needle points to minus z">
      <circle r="20" class="rose" />
      <g :transform="`rotate(${(azimuth * 180) / Math.PI})`">
        <path d="M0 -16L4.500 0H-4.500Z" class="needle" />
        <path d="M0 16L4.500 0H-4.500Z" class="tail" />
      </g>
    </svg>
    <div class="bar">
      <span class="figures">{{ scale.text }}</span><i :style="{ width: `${scale.pixels}px` }" />
    </div>
    <button class="button plain" title="Bring everything into view (0)" @click="emit('fit')">
      <Glyph name="fit" />
    </button>
  </div>
</template>

<style scoped>
.corner {
  position: absolute;
  left: 10px;
  bottom: 8px;
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 3px 6px 3px 4px;
  border-radius: 26px 8px 8px 26px;
  background: color-mix(in srgb, var(--basalt-0) 58%, transparent);
  color: var(--soft);
  pointer-events: none;
}
.corner button {
  pointer-events: auto;
  color: var(--soft);
}
.rose {
  fill: none;
  stroke: var(--line-strong);
}
.needle {
  fill: var(--accent);
}
.tail {
  fill: var(--mute);
  opacity: 0.5;
}
.bar {
  display: flex;
  flex-direction: column;
  align-items: center;
}
.bar i {
  height: 5px;
  border: solid var(--soft);
  border-width: 0 1px 1px;
}
</style>
