<script setup lang="ts">
import { computed } from "vue";
import type { ShotDocument } from "../api/types";
import { useShot } from "../stores/shot";
import NameField from "../controls/NameField.vue";
import NumberField from "../controls/NumberField.vue";
import NumberRow from "../controls/NumberRow.vue";
import VectorField from "../controls/VectorField.vue";
import Section from "../controls/Section.vue";
import ChoiceRow from "../controls/ChoiceRow.vue";
import SwitchRow from "../controls/SwitchRow.vue";
import TextField from "../controls/TextField.vue";
import { say } from "../lib/words";

const shot = useShot();
const doc = computed(() => shot.document as ShotDocument);
const QUALITY = [
  ["draft", "draft", "fewer contact searches, for trying"],
  ["standard", "standard", "for most shots"],
  ["fine", "fine", "twice the searches, for fast or thin things"],
] as const;
</script>

<template>
  <div class="section">
    <header>
      <NameField :name="doc.name" :taken="[]" @rename="(n) => shot.edit('rename the shot', (d) => (d.name = n))" /><span
        >shot</span
      >
    </header>
    <TextField
      label="note on the shot"
      placeholder="what this shot is for, in a line"
      :rows="3"
      :most="400"
      :model-value="doc.note"
      @update:model-value="(t) => shot.edit('note on the shot', (d) => (d.note = t))" />
  </div>
  <Section title="Time" :note="`${(doc.timing.frames! / doc.timing.fps!).toFixed(2)} s`">
    <div class="row">
      <label>frames</label
      ><NumberField
        label="frames"
        whole
        :min="1"
        :max="2000"
        :model-value="doc.timing.frames!"
        :initial="240"
        @update:model-value="(v) => shot.edit('frames', (d) => (d.timing.frames = v))" />
    </div>
    <div class="row">
      <label>frame rate</label
      ><NumberField
        label="frame rate"
        unit="fps"
        :min="1"
        :max="240"
        :model-value="doc.timing.fps!"
        :initial="24"
        @update:model-value="(v) => shot.edit('frame rate', (d) => (d.timing.fps = v))" />
    </div>
    <ChoiceRow
      label="quality"
      :hint="say('Shot.quality')"
      :options="QUALITY"
      :model-value="doc.quality!"
      @update:model-value="(q) => shot.edit('quality', (d) => (d.quality = q))" />
  </Section>
  <Section title="Limits" note="for safety; acting is an event">
    <NumberRow
      label="speed"
      :hint="say('Limits.speed')"
      unit="m/s"
      :min="0.001"
      :model-value="doc.limits.speed!"
      :initial="500"
      @update:model-value="(v) => shot.edit('speed limit', (d) => (d.limits.speed = v))" />
    <NumberRow
      label="spin"
      :hint="say('Limits.spin')"
      unit="rad/s"
      :min="0.001"
      :model-value="doc.limits.spin!"
      :initial="200"
      @update:model-value="(v) => shot.edit('spin limit', (d) => (d.limits.spin = v))" />
  </Section>
  <Section title="World">
    <div class="stack">
      <label>gravity <span class="mute">m/s²</span></label
      ><VectorField
        label="gravity"
        unit="m/s²"
        :model-value="doc.gravity!"
        @update:model-value="(v) => shot.edit('gravity', (d) => (d.gravity = v))" />
    </div>
    <SwitchRow
      label="ground"
      :hint="say('Ground.on')"
      :model-value="doc.ground.on!"
      @update:model-value="(on) => shot.edit('ground', (d) => (d.ground.on = on))" />
    <template v-if="doc.ground.on">
      <div class="row">
        <label>height</label
        ><NumberField
          label="ground height"
          unit="m"
          :model-value="doc.ground.height!"
          :initial="0"
          @update:model-value="(v) => shot.edit('ground height', (d) => (d.ground.height = v))" />
      </div>
      <div class="row">
        <label>friction</label
        ><NumberField
          label="ground friction"
          :min="0"
          :max="5"
          :model-value="doc.ground.friction!"
          :initial="0.7"
          @update:model-value="(v) => shot.edit('ground friction', (d) => (d.ground.friction = v))" />
      </div>
    </template>
  </Section>
</template>

<style scoped>
.stack {
  margin-bottom: 6px;
}
.stack label {
  display: block;
  color: var(--soft);
  margin-bottom: 3px;
}
</style>
