<script setup lang="ts">
/** How the handles in the view move things: what they keep to, along which axes, and how they size. */
import { ElButton, ElDropdown, ElDropdownItem, ElDropdownMenu } from "element-plus";
import { SNAPS, type Snap } from "../lib/snap";
import { useView } from "../stores/view";
import Glyph from "./Glyph.vue";

const view = useView();
const AXES = [
  ["world", "of the world", "x, y, z as the shot has them"],
  ["local", "its own", "turned as it is turned"],
] as const;
const SIZES = [
  [false, "one direction", "each rod sizes along itself; the middle, all"],
  [true, "all alike", "every rod sizes the whole"],
] as const;
</script>

<template>
  <ElDropdown trigger="click" placement="top-start">
    <ElButton
      text
      class="icon"
      :class="{ lit: view.snap !== 'free' }"
      v-hint="'What dragging keeps to, along which axes, and how it sizes'"
      data-testid="handle-menu">
      <Glyph name="move" />
    </ElButton>
    <template #dropdown>
      <ElDropdownMenu>
        <ElDropdownItem disabled>moving keeps to</ElDropdownItem>
        <ElDropdownItem
          v-for="[key, word, why] in SNAPS"
          :key="key"
          :class="{ on: view.snap === key }"
          :data-testid="`snap-${key}`"
          @click="view.snap = key as Snap"
          >{{ word }} <kbd>{{ why }}</kbd></ElDropdownItem
        >
        <ElDropdownItem disabled divided>handles along axes</ElDropdownItem>
        <ElDropdownItem
          v-for="[key, word, why] in AXES"
          :key="key"
          :class="{ on: view.axes === key }"
          :data-testid="`axes-${key}`"
          @click="view.axes = key"
          >{{ word }} <kbd>{{ why }}</kbd></ElDropdownItem
        >
        <ElDropdownItem disabled divided>sizing changes</ElDropdownItem>
        <ElDropdownItem
          v-for="[key, word, why] in SIZES"
          :key="word"
          :class="{ on: view.whole === key }"
          @click="view.whole = key"
          >{{ word }} <kbd>{{ why }}</kbd></ElDropdownItem
        >
      </ElDropdownMenu>
    </template>
  </ElDropdown>
</template>

<style scoped>
.icon {
  pointer-events: auto;
  color: var(--soft);
}
.icon.lit {
  color: var(--accent);
}
</style>
