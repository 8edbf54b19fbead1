<script setup lang="ts">
/** To the start, back, play, on, over again; keys of moves; and the lanes folded. */
import { ElButton } from "element-plus";
import { useView } from "../stores/view";
import Glyph from "./Glyph.vue";

const view = useView();
const emit = defineEmits<{ seek: [frame: number]; toggle: []; step: [by: number] }>();
</script>

<template>
  <div class="transport">
    <ElButton text class="icon" v-hint="'To the start (Home)'" @click="emit('seek', 0)">
      <Glyph name="start" />
    </ElButton>
    <ElButton text class="icon" v-hint="'One frame back (Left)'" @click="emit('step', -1)">
      <Glyph name="back" />
    </ElButton>
    <ElButton
      text
      class="icon play"
      v-hint="view.playing ? 'Pause (Space)' : 'Play (Space)'"
      data-testid="play"
      @click="emit('toggle')">
      <Glyph :name="view.playing ? 'pause' : 'play'" :size="18" />
    </ElButton>
    <ElButton text class="icon" v-hint="'One frame on (Right)'" @click="emit('step', 1)">
      <Glyph name="forth" />
    </ElButton>
    <ElButton
      text
      class="icon"
      :class="{ lit: view.loop }"
      :aria-pressed="view.loop"
      v-hint="'Start over at the end (L)'"
      @click="view.loop = !view.loop">
      <Glyph name="loop" />
    </ElButton>
    <ElButton
      text
      class="icon"
      :class="{ lit: view.autoKey }"
      :aria-pressed="view.autoKey"
      data-testid="auto-key"
      v-hint="
        view.autoKey
          ? 'Every move in the view is a key at the playhead: press to stop'
          : 'Make every move in the view a key at the playhead'
      "
      @click="view.autoKey = !view.autoKey">
      <Glyph name="peg" />
    </ElButton>
    <ElButton
      text
      class="icon fold"
      :class="{ folded: !view.sheetOpen }"
      v-hint="view.sheetOpen ? 'Fold the lanes' : 'Show the lanes'"
      @click="view.sheetOpen = !view.sheetOpen">
      <Glyph name="fold" />
    </ElButton>
  </div>
</template>

<style scoped>
.transport {
  display: flex;
  align-items: center;
  height: 32px;
  padding: 0 4px;
}
.transport .icon {
  height: 26px;
  padding: 0 5px;
  color: var(--soft);
}
.transport .play {
  color: var(--accent);
}
.transport .lit {
  color: var(--accent);
}
.fold {
  margin-left: auto;
}
.folded :deep(svg) {
  transform: rotate(180deg);
}
</style>
