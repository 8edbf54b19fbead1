<script setup lang="ts">
import { useStorage } from "@vueuse/core";
import { ElButton, ElDialog, ElMessage, ElScrollbar, ElSplitter, ElSplitterPanel } from "element-plus";
import { computed, defineAsyncComponent, onBeforeUnmount, nextTick, onMounted, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { ApiError } from "../api/client";
import CueSheet from "../components/CueSheet.vue";
import FirstTour from "../components/FirstTour.vue";
import Inspector from "../components/Inspector.vue";
import KeySheet from "../components/KeySheet.vue";
import StepRail from "../components/StepRail.vue";
import TopBar from "../components/TopBar.vue";
import type View3DType from "../components/View3D.vue";
import { useCommands } from "../composables/useCommands";
import { useDrops } from "../composables/useDrops";
import { usePlayback } from "../composables/usePlayback";
import BindPanel from "../steps/BindPanel.vue";
import BreakPanel from "../steps/BreakPanel.vue";
import BuildPanel from "../steps/BuildPanel.vue";
import DrivePanel from "../steps/DrivePanel.vue";
import ExportPanel from "../steps/ExportPanel.vue";
import RunPanel from "../steps/RunPanel.vue";
import { isTaken } from "../lib/keyboard";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useTakes } from "../stores/takes";
import { useView, type Help, type Step } from "../stores/view";
import Choices from "../controls/Choices.vue";
import { carried } from "../lib/carried";
import { setFrameRate } from "../lib/units";
import { useLeftOff } from "../composables/useLeftOff";

/** the view with all that draws it, and the guide, come when they are needed */
const View3D = defineAsyncComponent(() => import("../components/View3D.vue"));
const GuideDrawer = defineAsyncComponent(() => import("../components/GuideDrawer.vue"));

const props = defineProps<{ id: string }>();
const router = useRouter();
const shot = useShot();
const pieces = usePieces();
const survey = useSurvey();
const takes = useTakes();
const view = useView();
const three = ref<InstanceType<typeof View3DType> | null>(null);
const build = ref<InstanceType<typeof BuildPanel> | null>(null);
const panel = ref<InstanceType<typeof ElScrollbar> | null>(null);
/** how far each step's panel was scrolled when it was left */
const scrolled: Partial<Record<Step, number>> = {};
watch(
  () => view.step,
  async (to, from) => {
    scrolled[from] = panel.value?.wrapRef?.scrollTop ?? 0;
    await nextTick();
    panel.value?.setScrollTop(scrolled[to] ?? 0);
  },
);
const failure = ref("");
/** nothing is taken until the shot is there: it would be done to nothing, or to the one before */
const loaded = ref(false);
const ready = computed(() => loaded.value && shot.id === props.id);
const shows = (what: NonNullable<Help>) =>
  computed({ get: () => view.help === what, set: (on: boolean) => (view.help = on ? what : null) });
const [keys, guide] = [shows("keys"), shows("guide")];
const guideMet = ref(false);
watch(guide, (on) => (guideMet.value ||= on));
/** height of the cue sheet with its lanes folded away */
const FOLDED = 67;
const wide = window.innerWidth >= 1900;
const sizes = useStorage("sizes", { panel: wide ? 300 : 248, inspector: wide ? 340 : 284, sheet: 150 });
const STEPS: Step[] = ["build", "break", "bind", "drive", "run", "export"];
const { lastFrame, seek, toggle } = usePlayback();
const commands = useCommands();
/** where the camera was left, for when the view is there */
const camera = ref<number[] | null>(null);
const leftOff = useLeftOff(
  () => three.value?.camera() ?? [],
  (place) => (camera.value = place),
);
watch([three, camera], () => {
  if (!three.value || !camera.value) return;
  three.value.look(camera.value);
  camera.value = null;
});

async function load(id: string): Promise<void> {
  failure.value = "";
  loaded.value = false;
  leftOff.leave();
  leftOff.close();
  view.reset();
  try {
    await shot.load(id);
    loaded.value = true;
    await takes.loadList(id);
    if (carried.value.length) bringIn(carried.value.splice(0));
    const baked = !!takes.current && takes.current.frames_done >= 0;
    if (!leftOff.takeUp(id) && baked) [view.showing, view.step] = ["take", "run"];
    if (!baked) view.showing = "set-up";
  } catch (error) {
    failure.value = error instanceof ApiError ? error.message : String(error);
  }
}

async function bake(withoutFaulty = false): Promise<void> {
  await shot.flush();
  if (shot.state !== "saved") return;
  view.playing = false;
  view.frame = 0;
  view.step = "run";
  await takes.bake(shot.id, withoutFaulty);
  if (takes.current && !takes.faulty.length) view.showing = "take";
}

function onKey(event: KeyboardEvent): void {
  if (isTaken(event) || !ready.value) return;
  const ctrl = event.ctrlKey || event.metaKey;
  const on = (action: () => void): void => {
    event.preventDefault();
    action();
  };
  if (ctrl && event.key.toLowerCase() === "z") return on(() => void shot.step(event.shiftKey ? "redo" : "undo"));
  if (ctrl && event.key.toLowerCase() === "y") return on(() => void shot.step("redo"));
  if (ctrl && event.key.toLowerCase() === "s") return on(() => void shot.flush());
  if (ctrl && event.key.toLowerCase() === "a") return on(commands.chooseAll);
  if (ctrl && event.key.toLowerCase() === "d") return on(commands.duplicate);
  if (ctrl && event.key.toLowerCase() === "c" && !getSelection()?.toString()) return on(commands.copy);
  if (ctrl && event.key.toLowerCase() === "v") return on(commands.paste);
  if (ctrl || event.altKey) return;
  const actions: Record<string, () => void> = {
    " ": toggle,
    ArrowLeft: () => seek(view.frame - (event.shiftKey ? 10 : 1)),
    ArrowRight: () => seek(view.frame + (event.shiftKey ? 10 : 1)),
    Home: () => seek(0),
    End: () => seek(lastFrame.value),
    Escape: back,
    Delete: commands.remove,
    h: commands.hide,
    i: commands.isolate,
    o: commands.lock,
    "0": () => three.value?.bring("all"),
    c: () => three.value?.bring("chosen"),
    m: () => (view.handle = "move"),
    t: () => (view.handle = "turn"),
    k: () => (view.handle = "scale"),
    l: () => (view.loop = !view.loop),
    b: () => void bake(),
    "?": () => (keys.value = !keys.value),
  };
  const step = STEPS[Number(event.key) - 1];
  if (step) return on(() => (view.step = step));
  const action = actions[event.key] ?? actions[event.key.toLowerCase()];
  if (action) on(action);
}

function show(what: "set-up" | "take"): void {
  view.showing = what;
  if (what === "set-up") view.playing = false;
}

/** Escape: out of what is innermost. */
function back(): void {
  if (view.drawing) view.drawing = null;
  else if (view.painting) view.painting = null;
  else if (view.placingField) view.placingField = false;
  else if (view.placing) view.placing = null;
  else if (view.traced && view.showing === "take") view.traced = null;
  else if (view.picked.length || view.piece) [view.picked, view.piece] = [[], null];
  else view.select(null);
}

function bringIn(files: File[]): void {
  view.step = "build";
  void build.value?.bringIn(files);
}
useDrops(bringIn);

async function settle(way: "theirs" | "copy"): Promise<void> {
  const id = await shot.settle(way);
  if (id !== props.id) await router.push(`/shot/${id}`);
}

function onLeave(event: BeforeUnloadEvent): void {
  leftOff.leave();
  if (shot.state === "saved") return;
  void shot.flush();
  event.preventDefault();
}

watch(() => props.id, load, { immediate: true });
watch(
  () => shot.told,
  (told) => {
    if (!told) return;
    ElMessage({ message: told, duration: 6000, showClose: true });
    shot.told = "";
  },
);
watch(
  () => shot.document,
  (document) => {
    if (!document) return;
    setFrameRate(document.timing.fps ?? 24);
    void pieces.update(document);
    look();
  },
  { immediate: true },
);
/** the chosen body, where it deforms: what is weighed of it is shown */
const weighs = computed(() => {
  const body = shot.bodies.find((b) => b.name === view.thing);
  return body && body.matter.kind !== "rigid" ? body.name : "";
});
/** the map that is shown over the set-up */
const mapShown = computed(() => (view.colorBy === "map" && view.showing === "set-up" ? view.map : ""));
/** What fields reach in the set-up at the playhead; arrows of the chosen one, weights of the chosen body. */
function look(): void {
  if (shot.document)
    survey.update(
      shot.document,
      view.showing === "set-up" ? Math.min(view.frame, shot.document.timing.frames!) : 0,
      view.selection?.kind === "field" ? view.selection.name : "",
      weighs.value,
      mapShown.value,
    );
}
watch([() => view.selection?.kind === "field" && view.selection.name, weighs, mapShown, () => view.showing], look);
watch([() => view.frame], () => view.showing === "set-up" && !view.playing && look());
// pieces that took long to build are counted when they are there
watch(
  () => pieces.version,
  () => look(),
);
// what is set up is seen as it is set up; what was run, as it ran
watch(
  () => view.step,
  (step) => {
    const ran = step === "run" || step === "export";
    if (ran && takes.frames) view.showing = "take";
    if (!ran) {
      view.showing = "set-up";
      view.playing = false;
    }
  },
);
onMounted(() => {
  window.addEventListener("keydown", onKey);
  window.addEventListener("beforeunload", onLeave);
});
onBeforeUnmount(() => {
  leftOff.leave();
  void shot.flush();
  takes.close();
  window.removeEventListener("keydown", onKey);
  window.removeEventListener("beforeunload", onLeave);
});
</script>

<template>
  <div v-if="failure" class="failure">
    <p>{{ failure }}</p>
    <ElButton @click="router.push('/')">All shots</ElButton>
  </div>
  <div v-else class="shot" :inert="!ready">
    <TopBar @bake="bake" @home="router.push('/')" />
    <ElSplitter layout="vertical" class="rows">
      <ElSplitterPanel :min="240">
        <div class="middle">
          <StepRail />
          <ElSplitter>
            <ElSplitterPanel v-model:size="sizes.panel" :min="200" :max="520" collapsible>
              <ElScrollbar ref="panel" class="panel" :data-step="view.step">
                <BuildPanel v-show="view.step === 'build'" ref="build" />
                <BreakPanel v-if="view.step === 'break'" />
                <BindPanel v-if="view.step === 'bind'" />
                <DrivePanel v-if="view.step === 'drive'" />
                <RunPanel v-if="view.step === 'run'" @bake="bake" @seek="seek" />
                <ExportPanel v-if="view.step === 'export'" />
              </ElScrollbar>
            </ElSplitterPanel>
            <ElSplitterPanel :min="280">
              <View3D ref="three" @files="bringIn">
                <Choices
                  v-if="takes.frames"
                  class="showing"
                  label="What the view shows"
                  :options="
                    [
                      ['set-up', 'set-up'],
                      ['take', `take ${String(takes.current?.number ?? 0).padStart(2, '0')}`],
                    ] as const
                  "
                  :model-value="view.showing"
                  @update:model-value="show" />
                <div v-if="shot.document && !shot.things.length" class="empty">
                  <h2>Start with something to break</h2>
                  <p>Drop an OBJ, STL, PLY, GLB or USD file here, or add a shape.</p>
                  <ElButton
                    v-if="view.step !== 'build'"
                    type="primary"
                    data-testid="first-box"
                    @click="view.step = 'build'">
                    Open Build
                  </ElButton>
                </div>
                <FirstTour />
              </View3D>
            </ElSplitterPanel>
            <ElSplitterPanel v-model:size="sizes.inspector" :min="230" :max="560" collapsible>
              <Inspector @seek="seek" />
            </ElSplitterPanel>
          </ElSplitter>
        </div>
      </ElSplitterPanel>
      <ElSplitterPanel
        :size="view.sheetOpen ? sizes.sheet : FOLDED"
        :min="FOLDED"
        :resizable="view.sheetOpen"
        @update:size="(h) => view.sheetOpen && (sizes.sheet = Number(h))">
        <CueSheet @seek="seek" @toggle="toggle" @step="(by) => seek(view.frame + by)" />
      </ElSplitterPanel>
    </ElSplitter>
  </div>
  <ElDialog
    :model-value="shot.state === 'conflict'"
    title="Changed in another tab"
    width="420"
    :show-close="false"
    :close-on-click-modal="false"
    :close-on-press-escape="false">
    <p>{{ shot.refusal || "This shot was changed in another tab." }} Nothing is overwritten until you choose.</p>
    <template #footer
      ><ElButton data-testid="settle-copy" @click="settle('copy')">Keep mine as a copy</ElButton>&nbsp;<ElButton
        type="primary"
        data-testid="settle-theirs"
        @click="settle('theirs')">
        Load its version
      </ElButton></template
    >
  </ElDialog>
  <KeySheet v-model="keys" />
  <GuideDrawer v-if="guideMet" v-model="guide" />
</template>

<style scoped>
.shot {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  height: 100%;
}
.middle {
  display: grid;
  grid-template: minmax(0, 1fr) / 60px minmax(0, 1fr);
  height: 100%;
}
.panel {
  background: var(--basalt-1);
}
.showing {
  position: absolute;
  left: 12px;
  top: 12px;
  width: 150px;
}
.showing button {
  background: var(--basalt-1);
  font-size: 12px;
  height: 26px;
}
.empty {
  position: absolute;
  inset: 0;
  display: flex;
  flex-direction: column;
  align-items: center;
  justify-content: center;
  gap: 10px;
  text-align: center;
  pointer-events: none;
}
.empty h2 {
  font-size: 18px;
  font-weight: 600;
}
.empty p {
  color: var(--soft);
}
.empty button {
  pointer-events: auto;
}
.failure {
  height: 100%;
  display: grid;
  place-content: center;
  gap: 14px;
  text-align: center;
}
</style>
