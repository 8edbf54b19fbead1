import "@fontsource-variable/geist-mono";
import "@fontsource-variable/hanken-grotesk";
import "element-plus/dist/index.css";
import "element-plus/theme-chalk/dark/css-vars.css";
import "./styles/tokens.css";
import "./styles/base.css";
import { createPinia } from "pinia";
import { createApp } from "vue";
import { createRouter, createWebHistory, RouterView } from "vue-router";
import { useView } from "./stores/view";

const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: "/", component: () => import("./pages/ShotsPage.vue") },
    { path: "/shot/:id", component: () => import("./pages/ShotPage.vue"), props: true },
  ],
});
const app = createApp(RouterView);
app.use(createPinia());
app.use(router);
const view = useView();
view.setTheme(view.theme);
app.mount("#app");
