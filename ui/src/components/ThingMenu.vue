<script setup lang="ts">
/** What can be done with a body, where it is pressed with the other button. */
import { ElDropdown, ElDropdownItem, ElDropdownMenu, type DropdownInstance } from "element-plus";
import { nextTick, ref } from "vue";
import { useCommands } from "../composables/useCommands";
import type { Thing } from "../stores/shot";
import { useView } from "../stores/view";

const emit = defineEmits<{ rename: [name: string] }>();
const view = useView();
const commands = useCommands();
const drop = ref<DropdownInstance | null>(null);
const at = ref(new DOMRect());
const about = ref("");
const anchor = { getBoundingClientRect: () => at.value };

async function open(event: MouseEvent, thing: Thing): Promise<void> {
  if (!view.chosen.some((c) => c.name === thing.name))
    view.select({ kind: thing.group ? "group" : "body", name: thing.name });
  about.value = thing.name;
  at.value = new DOMRect(event.clientX, event.clientY, 0, 0);
  drop.value?.handleClose();
  await nextTick();
  drop.value?.handleOpen();
}

function run(what: string): void {
  if (what === "rename") emit("rename", about.value);
  else if (what === "up" || what === "down") commands.reorder(about.value, what === "up" ? -1 : 1);
  else if (what === "bring") view.wanted = "chosen";
  else commands[what as "copy" | "duplicate" | "remove" | "hide" | "isolate" | "lock"]();
}
defineExpose({ open });
</script>

<template>
  <ElDropdown
    ref="drop"
    trigger="contextmenu"
    placement="bottom-start"
    virtual-triggering
    :virtual-ref="anchor"
    @command="run">
    <template #dropdown>
      <ElDropdownMenu>
        <ElDropdownItem command="bring">bring into view</ElDropdownItem>
        <ElDropdownItem command="rename">rename</ElDropdownItem>
        <ElDropdownItem command="duplicate">double</ElDropdownItem>
        <ElDropdownItem command="copy">copy</ElDropdownItem>
        <ElDropdownItem command="up" divided>up in the list</ElDropdownItem>
        <ElDropdownItem command="down">down in the list</ElDropdownItem>
        <ElDropdownItem command="hide" divided>hide or show</ElDropdownItem>
        <ElDropdownItem command="isolate">show alone, or all again</ElDropdownItem>
        <ElDropdownItem command="lock">hold in place, or let go</ElDropdownItem>
        <ElDropdownItem command="remove" divided>delete</ElDropdownItem>
      </ElDropdownMenu>
    </template>
  </ElDropdown>
</template>
