<script setup lang="ts">
/** What a take has done up to the frame shown. */
import { useTakeStats } from "../composables/useTakeStats";
import { showEnergy, showLength, showNumber } from "../lib/units";
import { useView } from "../stores/view";

const view = useView();
const did = useTakeStats();
const soFar = (counts: readonly number[]): number => counts.slice(0, view.frame + 1).reduce((a, b) => a + b, 0);
</script>

<template>
  <div class="happened" :class="{ three: did.stretch.length }">
    <p>
      <span class="ember">broken <b class="figures">{{ soFar(did.broken) }}</b></span>
    </p>
    <p v-hint="'pieces that move at this frame, and bodies that deform'">
      moving <b class="figures">{{ did.moving[view.frame] ?? 0 }}</b>
    </p>
    <p class="tide">
      energy
      <b class="figures">{{
        did.energy.length ? showEnergy(did.energy[Math.min(view.frame, did.energy.length - 1)]!) : "–"
      }}</b>
    </p>
    <p v-hint="'deepest overlap between collision shapes at this frame'">
      overlap
      <b class="figures" data-testid="overlap">{{
        did.overlap.length ? showLength(did.overlap[Math.min(view.frame, did.overlap.length - 1)]!) : "–"
      }}</b>
    </p>
    <template v-if="did.stretch.length">
      <p v-hint="'seams opened and cloth torn up to this frame; they count as broken too'">
        torn <b class="figures" data-testid="torn">{{ soFar(did.torn) }}</b>
      </p>
      <p v-hint="'greatest stretch of cloth or a rope at this frame'" class="pulled">
        stretch
        <b class="figures" data-testid="stretch"
          >{{ showNumber(100 * did.stretch[Math.min(view.frame, did.stretch.length - 1)]!, 2) }} %</b
        >
      </p>
    </template>
  </div>
</template>

<style scoped>
.happened {
  height: 34px;
  padding: 0 4px 0 12px;
  font-size: 10.5px;
  overflow: hidden;
  line-height: 16px;
  color: var(--soft);
  display: grid;
  grid-template-columns: auto auto;
  column-gap: 6px;
  white-space: nowrap;
}
.happened.three {
  height: 36px;
  line-height: 12px;
}
.pulled {
  color: var(--dusk);
}
.happened .figures {
  font-size: 10.5px;
  color: var(--chalk);
  font-weight: 500;
}
.happened .ember .figures {
  color: inherit;
}
.tide {
  color: var(--tide);
}
.ember {
  color: var(--ember);
}
</style>
