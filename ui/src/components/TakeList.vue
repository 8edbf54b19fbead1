<script setup lang="ts">
/** The takes of the shot: what tells them apart, names and notes, and what can be done with one. */
import { ElButton, ElDropdown, ElDropdownItem, ElDropdownMenu, ElInput, ElMessage, ElProgress } from "element-plus";
import { h, reactive, ref, watch } from "vue";
import { api } from "../api/client";
import type { Take } from "../api/types";
import { differences } from "../lib/document";
import { ago } from "../lib/time";
import { useShot } from "../stores/shot";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";
import Glyph from "./Glyph.vue";

const shot = useShot();
const takes = useTakes();
const view = useView();
const WORD: Record<string, string> = {
  done: "whole",
  cancelled: "stopped",
  failed: "failed",
  baking: "baking",
  queued: "waiting",
};
/** takes whose differences are worked out */
const COMPARED = 12;
const number = (t: Take): string => String(t.number).padStart(2, "0");
const atWork = (t: Take): boolean => t.status === "baking" || t.status === "queued";
const differs = reactive<Record<string, string>>({});
const editing = ref<{ id: string; name: string; note: string } | null>(null);

/** What each take has that the one before it had not. */
watch(
  () => takes.list.map((t) => t.id).join(),
  async () => {
    const list = takes.list.slice(0, COMPARED + 1);
    for (const [k, t] of list.entries()) {
      const before = list[k + 1];
      if (!before || differs[t.id] !== undefined) continue;
      try {
        const found = differences(await takes.documentOf(before.id), await takes.documentOf(t.id));
        differs[t.id] = found.length ? found.slice(0, 2).join("; ") : `as ${number(before)}`;
      } catch {
        return; // the server is away: said elsewhere
      }
    }
  },
  { immediate: true },
);

function open(id: string): void {
  void takes.open(id);
  view.showing = "take";
  view.frame = 0;
}

async function remove(t: Take): Promise<void> {
  await takes.remove(t.id);
  if (takes.list.some((x) => x.id === t.id)) return;
  const message = ElMessage({
    duration: 12_000,
    showClose: true,
    message: h("span", [
      `Take ${number(t)} is deleted. `,
      h(
        ElButton,
        {
          link: true,
          "data-testid": "restore-take",
          onClick: () => (message.close(), void takes.restore(t.id)),
        },
        () => "Bring it back",
      ),
    ]),
  });
}

async function restoreSettings(t: Take): Promise<void> {
  const then = await takes.documentOf(t.id);
  shot.edit(`back to take ${number(t)}`, (d) => Object.assign(d, structuredClone(then)));
  view.showing = "set-up";
}

async function describe(): Promise<void> {
  const now = editing.value;
  editing.value = null;
  if (now) await takes.describe(now.id, now.name, now.note);
}

function command(t: Take, what: string): void {
  if (what === "name") editing.value = { id: t.id, name: t.name, note: t.note };
  else if (what === "settings") void restoreSettings(t);
  else if (what === "on") void takes.goOn(t.id, null);
  else void remove(t);
}
</script>

<template>
  <ul class="takes" aria-label="Takes">
    <li v-for="t in takes.list" :key="t.id" class="take" :class="{ chosen: takes.current?.id === t.id }">
      <ElButton class="bare open" @click="open(t.id)">
        <img
          v-if="t.frames_done > 0 && !atWork(t)"
          :src="api.takePicture(t.id, t.frames_done)"
          alt=""
          width="56"
          height="35"
          loading="lazy" />
        <span v-else class="blank" />
        <span class="words">
          <span class="line"><b class="figures">{{ number(t) }}</b> <b v-if="t.name">{{ t.name }}</b></span>
          <span class="line soft"
            >{{ WORD[t.status] }} · {{ Math.max(0, t.frames_done) }} of {{ t.frames_total }} frames</span
          >
          <span class="line mute">{{ ago(t.created) }}{{ differs[t.id] ? ` · ${differs[t.id]}` : "" }}</span>
        </span>
      </ElButton>
      <ElDropdown trigger="click" placement="bottom-end" @command="(c: string) => command(t, c)">
        <ElButton text class="icon" v-hint="`What to do with take ${number(t)}`" :data-testid="`take-menu-${t.number}`">
          <Glyph name="more" :size="14" />
        </ElButton>
        <template #dropdown>
          <ElDropdownMenu>
            <ElDropdownItem command="name">name it, note</ElDropdownItem>
            <ElDropdownItem command="settings">back to its settings</ElDropdownItem>
            <ElDropdownItem v-if="t.status === 'cancelled' || t.status === 'failed'" command="on"
              >go on from its last frame</ElDropdownItem
            >
            <ElDropdownItem command="delete" divided :disabled="atWork(t)">delete</ElDropdownItem>
          </ElDropdownMenu>
        </template>
      </ElDropdown>
      <ElProgress
        v-if="atWork(t)"
        class="wide"
        :percentage="Math.round((100 * Math.max(0, t.frames_done)) / t.frames_total)"
        :show-text="false"
        :stroke-width="3" />
      <form
        v-if="editing?.id === t.id"
        class="wide naming"
        @submit.prevent="describe"
        @keydown.esc.stop="editing = null">
        <ElInput v-model="editing.name" size="small" maxlength="80" placeholder="name" aria-label="name of the take" />
        <ElInput v-model="editing.note" size="small" maxlength="400" placeholder="note" aria-label="note on the take" />
        <ElButton native-type="submit" size="small">keep</ElButton>
      </form>
      <p v-else-if="t.note" class="wide note-text">{{ t.note }}</p>
      <p v-if="t.message" class="wide problem">{{ t.message }}</p>
    </li>
  </ul>
</template>

<style scoped>
.takes {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 2px;
}
.take {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 28px;
  align-items: center;
  border-radius: var(--radius);
}
.take.chosen {
  background: var(--basalt-3);
}
.wide {
  grid-column: 1 / -1;
}
.open {
  gap: 8px;
  padding: 4px;
  min-width: 0;
}
img,
.blank {
  flex: none;
  width: 56px;
  height: 35px;
  border-radius: 3px;
  background: linear-gradient(var(--view-top), var(--view-bottom));
}
.words {
  display: grid;
  min-width: 0;
  font-size: 12px;
  line-height: 15px;
}
.line {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.soft {
  color: var(--soft);
}
.naming {
  display: grid;
  gap: 4px;
  padding: 4px;
}
.note-text,
.take .problem {
  padding: 0 6px 4px;
  font-size: 12px;
  color: var(--soft);
}
.take .problem {
  color: var(--ember);
}
</style>
