<script setup lang="ts">
import { useStorage } from "@vueuse/core";
import {
  ElButton,
  ElDropdown,
  ElDropdownItem,
  ElDropdownMenu,
  ElEmpty,
  ElInput,
  ElMessage,
  ElScrollbar,
  ElSkeleton,
} from "element-plus";
import { computed, h, onMounted, ref } from "vue";
import { useRouter } from "vue-router";
import { api, ApiError } from "../api/client";
import type { ShotCard, ShotDocument } from "../api/types";
import { useDrops } from "../composables/useDrops";
import { carried } from "../lib/carried";
import Glyph from "../components/Glyph.vue";
import { ago } from "../lib/time";
import Choices from "../controls/Choices.vue";
import { freeName } from "../lib/document";
import { useView } from "../stores/view";
import FileButton from "../controls/FileButton.vue";

const router = useRouter();
const view = useView();
const shots = ref<ShotCard[] | null>(null);
const problem = ref("");
const wanted = ref("");
const order = useStorage<"changed" | "name" | "created">("shots-order", "changed");
const renaming = ref<{ id: string; name: string } | null>(null);
/** The shot whose menu is asked for, and the button that asks; one menu serves all. */
const asked = ref<{ shot: ShotCard; at: HTMLElement } | null>(null);
const open = ref(false);
const nameField = ref<InstanceType<typeof ElInput>[]>();
const ORDERS = [
  ["changed", "last changed"],
  ["created", "newest"],
  ["name", "name"],
] as const;
const seen = computed(() => {
  const words = wanted.value.toLowerCase().split(/\s+/);
  const found = (shots.value ?? []).filter((s) => words.every((w) => `${s.name} ${s.note}`.toLowerCase().includes(w)));
  const by = order.value;
  return found.sort((a, b) => (by === "name" ? a.name.localeCompare(b.name) : b[by].localeCompare(a[by])));
});

async function attempt(work: () => Promise<void>): Promise<void> {
  problem.value = "";
  try {
    await work();
  } catch (error) {
    if (!(error instanceof ApiError)) throw error;
    problem.value = error.where ? `${error.where}: ${error.message}` : error.message;
  }
}

const load = (): Promise<void> => attempt(async () => void (shots.value = (await api.shots()).shots));
const make = (): Promise<void> =>
  attempt(async () => {
    const out = await api.newShot(
      freeName(
        "Untitled shot",
        (shots.value ?? []).map((s) => s.name),
      ),
    );
    await router.push(`/shot/${out.id}`);
  });

function openDocument(file: File | undefined): Promise<void> {
  return attempt(async () => {
    if (!file) return;
    let document: ShotDocument;
    try {
      document = JSON.parse(await file.text()) as ShotDocument;
    } catch {
      problem.value = `'${file.name}' is not a shot document: it is not JSON`;
      return;
    }
    const out = await api.newShot(document.name ?? file.name, document);
    await router.push(`/shot/${out.id}`);
  });
}

function remove(s: ShotCard): Promise<void> {
  return attempt(async () => {
    await api.deleteShot(s.id);
    await load();
    const message = ElMessage({
      duration: 15_000,
      showClose: true,
      message: h("span", [
        `'${s.name}' is deleted. `,
        h(
          ElButton,
          {
            link: true,
            "data-testid": "restore-shot",
            onClick: () => (message.close(), void attempt(() => api.restoreShot(s.id).then(load))),
          },
          () => "Bring it back",
        ),
      ]),
    });
  });
}

function duplicate(s: ShotCard): Promise<void> {
  return attempt(async () => {
    const { document: own } = await api.shot(s.id);
    const names = (shots.value ?? []).map((x) => x.name);
    const copy = { ...(own as ShotDocument), name: freeName(s.name, names).slice(0, 80) };
    await api.newShot(copy.name, copy);
    await load();
  });
}

function rename(): Promise<void> {
  return attempt(async () => {
    const now = renaming.value;
    renaming.value = null;
    if (!now?.name.trim()) return;
    const { document: own, revision } = await api.shot(now.id);
    const number = crypto.randomUUID();
    await api.save(now.id, revision, { ...(own as ShotDocument), name: now.name.trim() }, "rename the shot", number);
    await load();
  });
}

/** The menu goes to this button; an open one stays where it is until another is pressed. */
function ask(shot: ShotCard, event: Event): void {
  if (!open.value || event.type === "pointerdown") asked.value = { shot, at: event.currentTarget as HTMLElement };
}

function command(what: string): void {
  const s = asked.value?.shot;
  if (!s) return;
  if (what === "rename") {
    renaming.value = { id: s.id, name: s.name };
    setTimeout(() => nameField.value?.[0]?.focus()); // when the menu, which takes the focus along, is gone
  } else if (what === "duplicate") void duplicate(s);
  else void remove(s);
}

/** A document is opened; meshes begin a shot of their own. */
async function drop(files: File[]): Promise<void> {
  const shotDocument = files.find((f) => f.name.toLowerCase().endsWith(".json"));
  if (shotDocument) return openDocument(shotDocument);
  carried.value = files;
  await make();
}
useDrops((files) => void drop(files));
onMounted(load);
</script>

<template>
  <ElScrollbar class="page">
    <header>
      <img src="/mark.svg" alt="" width="30" height="30" /><b>dynaclast</b><span class="space" /><ElButton
        text
        class="icon"
        v-hint="'Light or dark'"
        @click="view.setTheme(view.theme === 'dark' ? 'light' : 'dark')">
        <Glyph :name="view.theme === 'dark' ? 'sun' : 'moon'" />
      </ElButton>
    </header>
    <main>
      <div class="head">
        <h1>Shots</h1>
        <FileButton accept=".json" @files="(f) => openDocument(f[0])">Open a shot document</FileButton
        ><ElButton type="primary" data-testid="new-shot" @click="make"><Glyph name="plus" />New shot</ElButton>
      </div>
      <div v-if="shots && shots.length > 3" class="find">
        <ElInput v-model="wanted" size="small" clearable placeholder="find a shot" aria-label="find a shot" />
        <Choices label="order" :options="ORDERS" :model-value="order" @update:model-value="(o) => (order = o)" />
      </div>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <ElSkeleton v-if="!shots && !problem" :rows="5" animated />
      <ul v-if="seen.length">
        <li v-for="s in seen" :key="s.id">
          <ElButton class="bare card" data-testid="shot-card" @click="router.push(`/shot/${s.id}`)">
            <img :src="api.shotPicture(s.id, s.picture)" alt="" width="320" height="200" loading="lazy" />
            <span class="words">
              <b>{{ s.name }}</b>
              <span class="note">{{ s.note }}</span>
              <span class="mute figures"
                >{{ s.takes }} {{ s.takes === 1 ? "take" : "takes" }} · {{ ago(s.changed) }}</span
              >
            </span>
          </ElButton>
          <ElButton
            text
            class="icon menu"
            aria-haspopup="menu"
            v-hint="`What to do with ${s.name}`"
            @focus="(e: Event) => ask(s, e)"
            @pointerenter="(e: Event) => ask(s, e)"
            @pointerdown="(e: Event) => ask(s, e)">
            <Glyph name="more" />
          </ElButton>
          <form
            v-if="renaming?.id === s.id"
            class="naming"
            @submit.prevent="rename"
            @keydown.esc.stop="renaming = null">
            <ElInput
              v-model="renaming.name"
              size="small"
              maxlength="80"
              ref="nameField"
              aria-label="name of the shot" />
            <ElButton native-type="submit" size="small">keep</ElButton>
          </form>
        </li>
      </ul>
      <ElDropdown
        :key="asked?.shot.id"
        trigger="click"
        placement="bottom-end"
        virtual-triggering
        :virtual-ref="asked?.at"
        @visible-change="(now: boolean) => (open = now)"
        @command="command">
        <template #dropdown>
          <ElDropdownMenu>
            <ElDropdownItem command="rename">rename</ElDropdownItem>
            <ElDropdownItem command="duplicate">duplicate</ElDropdownItem>
            <ElDropdownItem command="delete" divided>delete</ElDropdownItem>
          </ElDropdownMenu>
        </template>
      </ElDropdown>
      <ElEmpty
        v-if="shots && !seen.length"
        :image-size="72"
        :description="shots.length ? 'No shot has these words.' : 'No shots yet. Make one, and break something.'" />
    </main>
  </ElScrollbar>
</template>

<style scoped>
.page {
  height: 100%;
  background: radial-gradient(100% 70% at 50% 0%, var(--view-top), var(--basalt-0));
}
header {
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 18px 28px;
  font-size: 18px;
}
.space {
  flex: 1;
}
main {
  max-width: 1180px;
  margin: 12px auto 40px;
  padding: 0 28px;
}
.head {
  display: grid;
  grid-template-columns: 1fr auto auto;
  align-items: center;
  gap: 8px;
  margin-bottom: 14px;
}
.find {
  display: grid;
  grid-template-columns: minmax(160px, 320px) auto;
  justify-content: start;
  gap: 12px;
  margin-bottom: 16px;
}
h1 {
  font-size: 26px;
  font-weight: 650;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(250px, 1fr));
  gap: 16px;
}
li {
  position: relative;
}
.card {
  display: flex;
  flex-direction: column;
  align-items: stretch;
  gap: 0;
  width: 100%;
  height: 100%;
  border: 1px solid var(--line);
  border-radius: 6px;
  background: var(--basalt-1);
  overflow: hidden;
  white-space: normal;
}
.card:hover {
  border-color: var(--accent);
}
.card img {
  width: 100%;
  height: auto;
  aspect-ratio: 320 / 200;
  background: linear-gradient(var(--view-top), var(--view-bottom));
}
.words {
  display: grid;
  align-content: start;
  gap: 4px;
  padding: 10px 14px 12px;
  line-height: 1.35;
}
.words b {
  font-weight: 600;
  font-size: 14px;
}
.note {
  color: var(--soft);
  font-size: 12px;
  display: -webkit-box;
  -webkit-line-clamp: 2;
  -webkit-box-orient: vertical;
  overflow: hidden;
}
.menu {
  position: absolute;
  right: 6px;
  top: 6px;
}
.naming {
  position: absolute;
  inset: auto 0 0;
  display: flex;
  gap: 4px;
  padding: 10px;
  background: var(--basalt-1);
  border: 1px solid var(--accent);
  border-radius: 6px;
}
:root[data-theme="light"] header img {
  filter: invert(0.82) hue-rotate(180deg);
}
</style>
