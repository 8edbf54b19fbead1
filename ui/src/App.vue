<script setup lang="ts">
import { RouterView } from "vue-router";
import HintLayer from "./controls/HintLayer.vue";
</script>

<template>
  <RouterView />
  <HintLayer />
</template>
