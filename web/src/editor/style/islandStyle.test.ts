import { expect, it } from "vitest";
import { densityColour, hexToRgb, islandCode } from "./islandStyle";

it("reads hex colours", () => {
  expect(hexToRgb("#1f2a44")).toEqual([31, 42, 68]);
});

it("is neutral inside the band and opposite on its two sides", () => {
  const inside = densityColour(128, 128, [122, 134.4]);
  const low = densityColour(64, 128, [122, 134.4]);
  const high = densityColour(256, 128, [122, 134.4]);
  expect(densityColour(130, 128, [122, 134.4])).toEqual(inside);
  expect(low[2]).toBeGreaterThan(low[0]);
  expect(high[0]).toBeGreaterThan(high[2]);
});

it("makes short codes", () => {
  expect(islandCode("Lantern room", 12)).toBe("LA·12");
  expect(islandCode("…", 1)).toBe("IS·1");
});
