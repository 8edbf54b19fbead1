import { config } from "@vue/test-utils";
import { afterEach, vi } from "vitest";
import { hint } from "./controls/hint";

config.global.directives = { hint };
// what a test leaves waiting finds no server
globalThis.fetch = () => Promise.reject(new TypeError("there is no server in tests of components"));

// files share one page, which is twice as fast: each test leaves it as it was
afterEach(() => {
  vi.useRealTimers();
  vi.restoreAllMocks();
  localStorage.clear();
});
