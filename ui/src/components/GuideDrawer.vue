<script setup lang="ts">
/** docs/guide.md beside the work, with its pictures. */
import { ElDrawer } from "element-plus";
import { Marked } from "marked";
import guide from "../../../docs/guide.md?raw";

const open = defineModel<boolean>({ required: true });
const PICTURES = import.meta.glob<string>(
  "../../../docs/screenshots/{build,break,bind,drive,run,layers,brush,flag}.png",
  {
    query: "?url",
    import: "default",
    eager: true,
  },
);
const marked = new Marked({
  renderer: {
    image: ({ href, text }) => `<img src="${PICTURES[`../../../docs/${href}`] ?? ""}" alt="${text}" loading="lazy">`,
  },
});
const html = marked.parse(guide, { async: false });
</script>

<template>
  <ElDrawer v-model="open" title="Guide" size="540px" append-to-body data-testid="guide">
    <!-- eslint-disable-next-line vue/no-v-html -- a page of our own, built in -->
    <article class="guide" v-html="html" />
  </ElDrawer>
</template>

<style scoped>
.guide :deep(h1) {
  font-size: 18px;
  margin: 0 0 8px;
}
.guide :deep(h2) {
  font-size: 15px;
  margin: 26px 0 6px;
}
.guide :deep(p) {
  line-height: 1.6;
  margin: 0 0 10px;
  color: var(--soft);
}
.guide :deep(em) {
  font-style: normal;
  color: var(--chalk);
}
.guide :deep(img) {
  display: block;
  width: 100%;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  margin: 8px 0;
}
</style>
