import { ElMessageBox } from "element-plus";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { ApiError } from "../api/client";
import { keepUnderName } from "./replace";

const taken = new ApiError(409, { code: "taken", message: "'granite' is there already" });
beforeEach(() => vi.restoreAllMocks());

describe("keeping under a name that is taken", () => {
  it("asks, and replaces what has it only where that is wanted", async () => {
    const ask = vi.spyOn(ElMessageBox, "confirm").mockResolvedValue("confirm" as never);
    const keep = vi.fn().mockRejectedValueOnce(taken).mockResolvedValue(undefined);
    expect(await keepUnderName(keep)).toBe(true);
    expect(keep.mock.calls).toEqual([[false], [true]]);
    expect(ask.mock.calls[0]![0]).toContain("'granite' is there already");
    ask.mockRejectedValue("cancel");
    keep.mockRejectedValueOnce(taken);
    expect(await keepUnderName(keep)).toBe(false);
    expect(keep).toHaveBeenCalledTimes(3);
  });

  it("asks nothing where the name is free, or the button said so", async () => {
    const ask = vi.spyOn(ElMessageBox, "confirm");
    const keep = vi.fn().mockResolvedValue(undefined);
    expect([await keepUnderName(keep), await keepUnderName(keep, true)]).toEqual([true, true]);
    expect(keep.mock.calls).toEqual([[false], [true]]);
    expect(ask).not.toHaveBeenCalled();
  });

  it("lets other refusals through", async () => {
    await expect(keepUnderName(() => Promise.reject(new ApiError(422, { message: "bad" })))).rejects.toThrow("bad");
  });
});
