<script setup lang="ts">
/** The guide, the keys, and a walk round the screen. */
import { ElButton, ElDropdown, ElDropdownItem, ElDropdownMenu } from "element-plus";
import { useView, type Help } from "../stores/view";

const view = useView();
const WAYS: readonly (readonly [NonNullable<Help>, string, string])[] = [
  ["guide", "guide", "eleven short chapters"],
  ["keys", "keys", "?"],
  ["tour", "a walk round", "five stops"],
];
</script>

<template>
  <ElDropdown trigger="click" placement="right-end">
    <ElButton class="bare help" v-hint="'Help: the guide, the keys, a walk round the screen'" data-testid="help"
      ><b>?</b><span>Help</span></ElButton
    >
    <template #dropdown>
      <ElDropdownMenu>
        <ElDropdownItem
          v-for="[key, word, why] in WAYS"
          :key="key"
          :data-testid="`help-${key}`"
          @click="view.help = key"
          >{{ word }} <kbd>{{ why }}</kbd></ElDropdownItem
        >
      </ElDropdownMenu>
    </template>
  </ElDropdown>
</template>

<style scoped>
.help {
  display: flex;
  flex-direction: column;
  align-items: center;
  justify-content: center;
  gap: 4px;
  width: 100%;
  height: 56px;
  color: var(--mute);
  font-size: 12px;
}
.help:hover {
  color: var(--chalk);
}
b {
  font-size: 15px;
  line-height: 1.2;
}
</style>
