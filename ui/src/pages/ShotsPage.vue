<script setup lang="ts">
import { ElButton } from "element-plus";
import { onMounted, ref } from "vue";
import { useRouter } from "vue-router";
import { api, ApiError } from "../api/client";
import type { ShotCard, ShotDocument } from "../api/types";
import Glyph from "../components/Glyph.vue";
import { freeName } from "../lib/document";
import { useView } from "../stores/view";
import FileButton from "../controls/FileButton.vue";

const router = useRouter();
const view = useView();
const shots = ref<ShotCard[] | null>(null);
const problem = ref("");
const doomed = ref("");

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

function remove(id: string): Promise<void> {
  return attempt(async () => {
    await api.deleteShot(id);
    doomed.value = "";
    await load();
  });
}

function when(text: string): string {
  const d = new Date(text);
  return d.toLocaleString("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" });
}
onMounted(load);
</script>

<template>
  <div class="page">
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
        <div>
          <FileButton accept=".json" @files="(f) => openDocument(f[0])">Open a shot document</FileButton
          ><ElButton type="primary" data-testid="new-shot" @click="make"><Glyph name="plus" />New shot</ElButton>
        </div>
      </div>

      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <ul v-if="shots?.length">
        <li v-for="s in shots" :key="s.id">
          <ElButton class="bare card" data-testid="shot-card" @click="router.push(`/shot/${s.id}`)">
            <b>{{ s.name }}</b><span class="figures">{{ s.takes }} {{ s.takes === 1 ? "take" : "takes" }}</span
            ><span class="mute">{{ when(s.changed) }}</span>
          </ElButton>
          <template v-if="doomed === s.id"
            ><ElButton @click="remove(s.id)">Delete with its takes</ElButton
            ><ElButton text class="icon" @click="doomed = ''">keep</ElButton></template
          >
          <ElButton v-else text class="icon" v-hint="'Delete this shot'" @click="doomed = s.id">
            <Glyph name="cross" :size="13" />
          </ElButton>
        </li>
      </ul>
      <p v-else-if="shots" class="mute none">No shots yet. Make one, and break something.</p>
    </main>
  </div>
</template>

<style scoped>
.page {
  height: 100%;
  overflow-y: auto;
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
  max-width: 760px;
  margin: 40px auto;
  padding: 0 24px;
}
.head > div {
  display: flex;
  gap: 8px;
}
.head {
  display: flex;
  justify-content: space-between;
  align-items: center;
  margin-bottom: 18px;
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
  gap: 8px;
}
li {
  display: flex;
  align-items: center;
  gap: 6px;
}
.card {
  flex: 1;
  display: grid;
  grid-template-columns: 1fr 80px 120px;
  align-items: center;
  gap: 12px;
  text-align: left;
  height: 54px;
  padding: 0 18px;
  border: 1px solid var(--line);
  border-radius: 6px;
  background: var(--basalt-1);
  cursor: pointer;
}
.card:hover {
  border-color: var(--accent);
}
.card b {
  font-weight: 600;
  font-size: 14px;
}
:root[data-theme="light"] header img {
  filter: invert(0.82) hue-rotate(180deg);
}
</style>
