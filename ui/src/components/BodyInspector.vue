<script setup lang="ts">
import { ElButton } from "element-plus";
import { computed } from "vue";
import type { Body } from "../api/types";
import { withNumber, withoutNumber, type Channel } from "../lib/channels";
import { layoutCount } from "../lib/document";
import { BODY_SPECS, setAt } from "../lib/specs";
import { anglesOf, fromAngles, type Quat, type Vec } from "../lib/rotation";
import { begunMotion, standAt, withKey } from "../lib/motion";
import { showMass, showNumber } from "../lib/units";
import { usePieces } from "../stores/pieces";
import { useShot, type Thing } from "../stores/shot";
import { useView } from "../stores/view";
import CurvePlot from "./CurvePlot.vue";
import Glyph from "./Glyph.vue";
import LayoutEditor from "./LayoutEditor.vue";
import MaterialSection from "./MaterialSection.vue";
import NameField from "../controls/NameField.vue";
import MatterSection from "./MatterSection.vue";
import MotionEditor from "./MotionEditor.vue";
import SpecRows from "./SpecRows.vue";
import VectorField from "../controls/VectorField.vue";
import Section from "../controls/Section.vue";
import Choices from "../controls/Choices.vue";
import Pick from "../controls/Pick.vue";

const props = defineProps<{ thing: Thing }>();
const shot = useShot();
const pieces = usePieces();
const view = useView();
const body = computed(() => props.thing.body);
const many = computed(() => (props.thing.group ? layoutCount(props.thing.group.layout) : 1));
const figures = computed(() => pieces.built.get(props.thing.name)?.figures);
const shapes = computed(() => pieces.shapes.get(props.thing.name)?.count);
const problem = computed(() => pieces.errors.get(props.thing.name));
const fps = computed(() => shot.document?.timing.fps ?? 24);
/** where it stands: a keyed body at the playhead, any other for good */
const stand = computed(() =>
  body.value.motion
    ? standAt(body.value, view.frame / fps.value)
    : {
        position: body.value.place.position as Vec,
        rotation: body.value.place.rotation as Quat,
        angles: body.value.place.angles as Vec | null,
      },
);
const angles = computed(() => anglesOf(stand.value).map((a) => Number(a.toFixed(3))) as Vec);
const spin = computed(() => (body.value.spin as Vec).map((w) => Number(((w * 180) / Math.PI).toFixed(4))) as Vec);
const what = computed(() => {
  const { shape, matter, role } = body.value;
  const kind = shape.kind === "asset" ? "mesh" : shape.kind === "line" ? "rope" : shape.kind;
  const is = matter.kind === "rigid" ? role : matter.kind;
  return `${props.thing.group ? "group of " : ""}${kind}${is === kind ? "" : ` · ${is}`}`;
});

const edit = (label: string, change: (b: Body) => void): void =>
  shot.editBody(props.thing.name, `${label} of ${props.thing.name}`, change);

const channels = computed(() => (body.value.channels ?? []) as Channel[]);
function key(path: string, value: number | null): void {
  const time = view.frame / fps.value;
  view.showing = "set-up";
  edit(
    "key",
    (b) =>
      (b.channels = (
        value === null
          ? withoutNumber((b.channels ?? []) as Channel[], path, time, fps.value)
          : withNumber((b.channels ?? []) as Channel[], path, time, fps.value, value)
      ) as Body["channels"]),
  );
}

const ROLES = [
  ["active", "active", "moved by physics"],
  ["passive", "passive", "only collided with"],
  ["animated", "animated", "moved by its keys, or steadily, and pushes what it meets"],
] as const;
const HANDLES = [
  ["move", "move", "move in the view (M)"],
  ["turn", "turn", "turn in the view (T)"],
  ["scale", "scale", "scale in the view (K)"],
] as const;
const COLLISION = {
  auto: "a hull a piece; several where it is hollow or bent",
  ball: "a ball round each piece: cheapest, rolls",
  box: "a box round each piece: cheap, level",
  hull: "one hull a piece: cheap, fills hollows",
  parts: "several hulls a piece: about six times the cost",
  exact: "its very triangles: hollows count; for passive and animated bodies",
} as const;

function place(what: string, change: { position?: Vec; rotation?: Quat; angles?: Vec }): void {
  edit(what, (b) => {
    const now = { ...stand.value, ...change };
    const time = view.frame / fps.value;
    if (b.motion) b.motion = withKey(b.motion, time, fps.value, now);
    else if (view.autoKey && b.role === "animated") b.motion = begunMotion(b, time, fps.value, now);
    else Object.assign(b.place, change);
  });
}

function setRole(role: Body["role"]): void {
  edit("role", (b) => {
    b.role = role;
    if (role !== "animated") b.motion = null;
    if (role === "active" && b.collision === "exact") b.collision = "parts";
  });
}

function rename(name: string): void {
  shot.rename(props.thing.name, name);
  view.select({ kind: props.thing.group ? "group" : "body", name });
}

function remove(): void {
  view.select(null);
  shot.removeAll([{ kind: "body", name: props.thing.name }]);
}
</script>

<template>
  <div class="section head">
    <header>
      <NameField :name="thing.name" :taken="shot.things.map((t) => t.name)" @rename="rename" /><span>{{ what }}</span>
    </header>
    <p v-if="figures" class="figures size" data-testid="size">
      {{ figures.size.map((s) => showNumber(s, 3)).join(" × ") }} m<br />{{ many > 1 ? `${many} × ` : ""
      }}{{ showMass(figures.mass) }} ·
      <template v-if="figures.vertices">{{ figures.vertices.toLocaleString("en") }} vertices</template
      ><template v-else>{{ figures.pieces }} {{ figures.pieces === 1 ? "piece" : "pieces" }}</template
      >{{ many > 1 ? " each" : "" }}
    </p>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
  </div>
  <LayoutEditor v-if="thing.group" :group="thing.group" />
  <div class="section">
    <header>
      <h3>{{ thing.group ? "Origin" : "Place" }}</h3>
      <Choices
        class="mini"
        label="Handles in the view"
        glyphs
        :options="HANDLES"
        :model-value="view.handle"
        @update:model-value="(h) => (view.handle = h)" />
    </header>
    <div class="stack">
      <label>position</label
      ><VectorField
        label="position"
        unit="m"
        :model-value="stand.position.map((x) => Number(x.toFixed(4)))"
        :initial="0"
        @update:model-value="(v) => place('place', { position: v })" />
    </div>
    <div class="stack">
      <label>rotation <span class="mute">about x, then y, then z</span></label
      ><VectorField
        label="rotation"
        unit="°"
        :model-value="angles"
        :initial="0"
        @update:model-value="(v) => place('rotation', { rotation: fromAngles(v), angles: v })" />
    </div>
    <div class="stack">
      <label>scale</label
      ><VectorField
        label="scale"
        :model-value="body.place.scale!"
        :min="0.0001"
        :initial="1"
        @update:model-value="(v) => edit('scale', (b) => (b.place.scale = v))" />
    </div>
  </div>
  <MatterSection :name="thing.name" :body="body" />
  <Section v-if="body.matter.kind === 'rigid'" title="Role">
    <Choices label="role" ids="role-" :options="ROLES" :model-value="body.role" @update:model-value="setRole" />
    <div class="row collide">
      <span class="label">collides as</span
      ><Pick
        label="collides as"
        :options="
          Object.entries(COLLISION).map(
            ([c, why]) => [c as Body['collision'], c, why, c === 'exact' && body.role === 'active'] as const,
          )
        "
        :model-value="body.collision"
        @update:model-value="(c) => edit('collision', (b) => (b.collision = c))" /><ElButton
        class="eye"
        :aria-pressed="view.shapes"
        :class="{ lit: view.shapes }"
        v-hint="'Draw the collision shapes'"
        data-testid="see-shapes"
        @click="view.shapes = !view.shapes">
        <Glyph name="shape" :size="15" />
      </ElButton>
    </div>
    <p class="mute small">
      {{ COLLISION[body.collision]
      }}<template v-if="view.shapes">
        ·
        <span class="figures">{{
          shapes === undefined ? "being found" : shapes === 1 ? "1 shape" : `${shapes} shapes`
        }}</span></template
      >
    </p>
  </Section>
  <MaterialSection :name="thing.name" :body="body" @key="key" />
  <div v-if="body.role === 'animated' && !thing.group" class="section">
    <MotionEditor :name="thing.name" :body="body" />
  </div>
  <Section
    v-if="body.role === 'active' || (body.role === 'animated' && !body.motion)"
    :title="body.role === 'active' ? 'Motion' : 'Steady motion'">
    <SpecRows
      v-if="body.role === 'active'"
      :of="body as never"
      :specs="BODY_SPECS"
      :channels="channels"
      base=""
      @change="(k, v) => edit(k, (b) => setAt(b, k, v))"
      @key="key" />
    <div class="stack">
      <label>{{ body.role === "active" ? "velocity at the start" : "velocity" }} <span class="mute">m/s</span></label
      ><VectorField
        label="velocity"
        unit="m/s"
        :model-value="body.velocity!"
        :initial="0"
        @update:model-value="(v) => edit('velocity', (b) => (b.velocity = v))" />
    </div>
    <div class="stack">
      <label>{{ body.role === "active" ? "spin at the start" : "spin" }} <span class="mute">°/s</span></label
      ><VectorField
        label="spin"
        unit="°/s"
        :model-value="spin"
        :initial="0"
        @update:model-value="(v) => edit('spin', (b) => (b.spin = v.map((x) => (x * Math.PI) / 180) as Vec))" />
    </div>
  </Section>
  <Section
    v-if="channels.length"
    title="Keys"
    :note="`${channels.length} ${channels.length === 1 ? 'channel' : 'channels'}`">
    <CurvePlot
      v-for="c in channels"
      :key="c.of"
      :channel="c"
      color="var(--accent)"
      @change="
        (next) =>
          edit(
            'keys',
            (b) =>
              (b.channels = channels
                .map((x) => (x.of === c.of ? next : x))
                .filter((x) => x.keys.length) as Body['channels']),
          )
      " />
  </Section>
  <div class="section">
    <ElButton class="wide" @click="remove">Delete {{ thing.name }}</ElButton>
  </div>
</template>

<style scoped>
.size {
  color: var(--soft);
  line-height: 1.6;
}
.stack {
  margin-bottom: 6px;
}
.stack label {
  display: block;
  color: var(--soft);
  margin-bottom: 3px;
}
.mini button {
  height: 24px;
  width: 30px;
  display: grid;
  place-items: center;
  padding: 0;
}
.head header {
  margin-bottom: 4px;
}
.collide {
  grid-template-columns: 1fr 96px 30px;
  margin-top: 8px;
}
.eye {
  padding: 0;
  height: 26px;
  display: grid;
  place-items: center;
}
.eye.lit {
  color: var(--accent);
  border-color: var(--accent);
}
.small {
  font-size: 12px;
}
</style>
