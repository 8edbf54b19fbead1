import { describe, expect, it } from "vitest";
import type { Thing } from "../stores/shot";
import { withCompanions } from "./companions";

const thing = (name: string, matter: string, role = "active"): Thing =>
  ({ name, body: { name, role, matter: { kind: matter } }, group: null }) as unknown as Thing;
const THINGS = [
  thing("line", "rope"),
  thing("sail", "cloth"),
  thing("wall", "rigid"),
  thing("cart", "rigid", "animated"),
];

describe("what goes along with what is chosen", () => {
  it.each([
    [{ kind: "attractor", to: "surface", body: null }, { body: "sail" }],
    [{ kind: "attractor", to: "surface", body: "wall" }, { body: "wall" }],
    [{ kind: "attractor", to: "point", body: "wall" }, { body: null }],
    [{ kind: "anchor", hold: "carried", carrier: null }, { carrier: "cart" }],
    [{ kind: "anchor", hold: "fixed", carrier: "cart" }, { carrier: null }],
    [{ kind: "wind", body: "wall" }, { body: "wall" }],
  ])("of %o is %o", (effect, expected) => {
    withCompanions(effect, THINGS);
    expect(effect).toMatchObject(expected);
  });
});
