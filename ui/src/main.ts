import "@fontsource-variable/geist-mono";
import "@fontsource-variable/hanken-grotesk";
import "./styles/element";
import "./styles/tokens.css";
import "./styles/base.css";
import "./styles/dress.css";
import { createPinia } from "pinia";
import { createApp } from "vue";
import { createRouter, createWebHistory } from "vue-router";
import App from "./App.vue";
import { hint } from "./controls/hint";
import { useView } from "./stores/view";

const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: "/", component: () => import("./pages/ShotsPage.vue") },
    { path: "/shot/:id", component: () => import("./pages/ShotPage.vue"), props: true },
  ],
});
const app = createApp(App);
app.use(createPinia());
app.use(router);
app.directive("hint", hint);
const view = useView();
view.setTheme(view.theme);
app.mount("#app");
