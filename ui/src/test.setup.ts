import { config, disableAutoUnmount, enableAutoUnmount } from "@vue/test-utils";
import { afterEach, vi } from "vitest";
import { hint } from "./controls/hint";

config.global.directives = { hint };
// what a test leaves waiting finds no server
globalThis.fetch = () => Promise.reject(new TypeError("there is no server in tests of components"));

// files share one page, which is twice as fast: each test leaves it as it was, and nothing it set going goes on in
// others
const going = new Set<ReturnType<typeof setTimeout>>();
const begin = globalThis.setTimeout;
globalThis.setTimeout = ((work: () => void, time?: number, ...more: []) => {
  const id = begin(work, time, ...more);
  going.add(id);
  return id;
}) as typeof setTimeout;

disableAutoUnmount(); // this file is run once for every file of tests
enableAutoUnmount(afterEach);
afterEach(() => {
  document.body.innerHTML = ""; // lists and hints of components are beside them, and are looked through by every search
  for (const id of going) clearTimeout(id);
  going.clear();
  vi.useRealTimers();
  vi.restoreAllMocks();
  localStorage.clear();
});
