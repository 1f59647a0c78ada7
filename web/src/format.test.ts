import { expect, it } from "vitest";
import { lastMip, rawMegabytes, whole, asRatio, fromRatio } from "./format";

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

it("reads proportions as people write them", () => {
  expect(fromRatio("853:1461")).toBeCloseTo(853 / 1461);
  expect(fromRatio("2048 x 1024")).toBe(2);
  expect(fromRatio("1 / 2")).toBe(0.5);
  expect(fromRatio("1,5")).toBe(1.5);
  for (const wrong of ["", "a", "1:0", "0", "-2", "65", "1:2:3"])
    expect(fromRatio(wrong)).toBeNull();
});

it("writes them with 1 for the shorter edge, and reads back what it wrote", () => {
  expect(asRatio(2)).toBe("2 : 1");
  expect(asRatio(853 / 1461)).toBe("1 : 1.713");
  for (const value of [1, 0.25, 3.5]) expect(fromRatio(asRatio(value))).toBeCloseTo(value, 3);
});
