import vue from "@vitejs/plugin-vue";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [vue()],
  build: { chunkSizeWarningLimit: 1200, target: "es2022" },
  server: { proxy: { "/api": "http://127.0.0.1:8470" } },
});
