<script setup lang="ts">
/** Keeps a field or falloff in the library, for other shots. */
import { ElButton } from "element-plus";
import { computed } from "vue";
import { useLibrary } from "../stores/library";

const props = defineProps<{ kind: "field" | "falloff"; item: { name: string }; falloffs?: { name: string }[] }>();
const library = useLibrary();
const there = computed(() => library.items.some((x) => x.kind === props.kind && x.name === props.item.name));
</script>

<template>
  <ElButton
    class="wide gap"
    :data-testid="`keep-${kind}`"
    v-hint="there ? 'In place of the one kept under this name' : 'For other shots'"
    @click="library.keep(kind, item, falloffs, there)">
    {{ there ? "Keep it anew" : "Keep in the library" }}
  </ElButton>
</template>

<style scoped>
.gap {
  margin-top: 6px;
}
</style>
