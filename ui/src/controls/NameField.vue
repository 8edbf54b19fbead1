<script setup lang="ts">
/** A name that becomes editable on double-click; refuses a name already taken. */
import { ElInput } from "element-plus";
import { nextTick, ref } from "vue";

const props = defineProps<{ name: string; taken: string[] }>();
const emit = defineEmits<{ rename: [name: string] }>();
const editing = ref(false);
const text = ref("");
const problem = ref("");
const input = ref<InstanceType<typeof ElInput> | null>(null);

async function begin(): Promise<void> {
  text.value = props.name;
  problem.value = "";
  editing.value = true;
  await nextTick();
  input.value?.select();
}

function accept(): void {
  const name = text.value.trim();
  if (!name) problem.value = "a name is needed";
  else if (name !== props.name && props.taken.includes(name)) problem.value = `'${name}' is taken`;
  else {
    editing.value = false;
    if (name !== props.name) emit("rename", name.slice(0, 80));
  }
}

function onKey(event: KeyboardEvent | Event): void {
  event.stopPropagation();
  if (!(event instanceof KeyboardEvent)) return;
  if (event.key === "Enter") accept();
  else if (event.key === "Escape") editing.value = false;
}

function leave(): void {
  if (!editing.value) return;
  accept();
  editing.value = false;
}
</script>

<template>
  <span v-if="!editing" class="name" v-hint="'Double-click to rename'" @dblclick="begin">{{ name }}</span>
  <span v-else class="edit"
    ><ElInput
      ref="input"
      v-model="text"
      size="small"
      aria-label="Name"
      maxlength="80"
      @keydown="onKey"
      @blur="leave" /><em v-if="problem" class="problem">{{ problem }}</em></span
  >
</template>

<style scoped>
.name {
  cursor: text;
  font-weight: 650;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.edit input {
  width: 150px;
  border: 1px solid var(--accent);
  border-radius: 3px;
  background: var(--basalt-2);
  padding: 1px 6px;
}
.edit em {
  display: block;
  font-style: normal;
}
</style>
