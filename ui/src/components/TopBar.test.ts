import { mount } from "@vue/test-utils";
import { createPinia, setActivePinia } from "pinia";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { api } from "../api/client";
import type { Take } from "../api/types";
import { useTakes } from "../stores/takes";
import TopBar from "./TopBar.vue";

beforeEach(() => setActivePinia(createPinia()));

/** The bar while a take is as said, of 96 frames. */
function bar(now: Partial<Take>) {
  const take = { id: "t", number: 4, status: "baking", frames_total: 96, frames_done: -1, prepared: 0, left: null };
  useTakes().list = [{ ...take, ahead: null, ...now } as Take];
  const hints: string[] = [];
  const hint = (_: unknown, { value }: { value: string }): number => hints.push(value);
  return { it: mount(TopBar, { global: { directives: { hint } } }), hints };
}
const says = (now: Partial<Take>): string => bar(now).it.get('[data-testid="cancel"]').text();

describe("a bake under way", () => {
  it("says how far it is and how long it still takes", () => {
    expect(says({ prepared: 0.416 })).toBe("Preparing 41 %");
    expect(says({ frames_done: 24, left: 100 })).toBe("Baking 24 / 96 · 1 min 40 s");
  });

  it("that waits says for how many, and for which first", () => {
    const ahead = { bakes: 1, shot: "Quay", number: 3 };
    expect(says({ status: "queued", ahead })).toBe("Waiting for a bake");
    expect(says({ status: "queued", ahead: { ...ahead, bakes: 12 } })).toBe("Waiting for 12 bakes");
    const { hints } = bar({ status: "queued", ahead });
    expect(hints.some((h) => h.startsWith("Take 03 of Quay comes first"))).toBe(true);
  });

  it("that waits for nothing is starting, also where it has frames already", () => {
    expect(says({ status: "queued" })).toBe("Starting");
    expect(says({ status: "queued", frames_done: 30 })).toBe("Starting");
  });

  it("is stopped by a click", async () => {
    const cancel = vi.spyOn(api, "cancel").mockResolvedValue({ id: "t", status: "cancelled" } as Take);
    await bar({ frames_done: 3 }).it.get('[data-testid="cancel"]').trigger("click");
    expect(cancel).toHaveBeenCalledWith("t");
  });
});
