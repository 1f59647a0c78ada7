import { expect, it } from "vitest";
import { lastMip, rawMegabytes, whole } from "./format";

it("keeps one texel of 16 px at 2048 down to level 4, 128 px (arithmetic)", () => {
  expect(lastMip(16, 2048)).toEqual({ level: 4, size: 128 });
  expect(lastMip(0.5, 2048)).toBeNull();
});

it("adds a third for the mip chain (arithmetic)", () => {
  expect(rawMegabytes(2048, 2048)).toBe("22.4");
});

it("groups digits", () => {
  expect(whole(1234567.4)).toBe("1,234,567");
});
