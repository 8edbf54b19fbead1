<script setup lang="ts">
/** The shape a body that deforms opens in: as it is made, or settled. */
import { ElButton, ElMessage } from "element-plus";
import { computed } from "vue";
import { useSettling } from "../composables/useSettling";
import { useShot, type Thing } from "../stores/shot";
import Section from "../controls/Section.vue";

const props = defineProps<{ thing: Thing }>();
const shot = useShot();
const { now, settle } = useSettling();
const opening = computed(() => props.thing.body.opening);
const busy = computed(() => now.value !== null);

async function begin(withFields: boolean): Promise<void> {
  const said = await settle(props.thing.name, withFields);
  if (said) ElMessage({ message: said, duration: 6000, showClose: true });
}
const forget = (): void =>
  shot.editBody(props.thing.name, `open ${props.thing.name} as made`, (b) => (b.opening = null), true);
</script>

<template>
  <Section title="Opens" :note="opening ? 'settled' : 'as it is made'">
    <p class="row">
      <span class="label">let it settle</span
      ><span class="tools"
        ><ElButton
          size="small"
          :disabled="busy || !!thing.group"
          v-hint="
            thing.group
              ? 'Members of a group open alike: settle a body of its own'
              : 'Until it rests, with what is tied to it, while everything rigid stands; it opens like that then'
          "
          data-testid="settle"
          @click="begin(false)"
          >by its weight</ElButton
        ><ElButton
          size="small"
          :disabled="busy || !!thing.group"
          v-hint="'The same, with the fields that act on it'"
          data-testid="settle-fields"
          @click="begin(true)"
          >in its fields</ElButton
        ></span
      >
    </p>
    <ElButton v-if="opening" link size="small" data-testid="as-made" @click="forget">open it as it is made</ElButton>
  </Section>
</template>

<style scoped>
.tools {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
.tools .el-button {
  margin: 0;
}
</style>
