import { afterEach, expect, it } from "vitest";
import * as format from "./format";
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

afterEach(() => format.showDensitiesIn("px/m"));

it("shows densities in the unit of the project", () => {
  expect(format.densityIn(512)).toBe("512 px/m");
  format.showDensitiesIn("px/cm");
  expect(format.densityIn(512)).toBe("5.12 px/cm");
  expect(format.perMetre(5.12)).toBeCloseTo(512);
  // An inch is 0.0254 m.
  format.showDensitiesIn("px/in");
  expect(format.densityIn(1000)).toBe("25.4 px/in");
  expect(format.inDensityUnit(1000)).toBe(25.4);
  expect(format.perMetre(25.4)).toBeCloseTo(1000);
});

it("says the house band with the end that is said", () => {
  const house = { density: 512, tolerance: 0.05, least: null, most: null };
  expect(format.houseBand(house)).toBe("house density 512 px/m ± 5 %");
  expect(format.houseBand({ ...house, least: 250 })).toBe("house density 512 px/m, at least 250");
  expect(format.houseBand({ ...house, least: 250, most: 1000 })).toBe(
    "density band 250 to 1,000 px/m",
  );
});

it("says sizes in the unit that suits the longest side", () => {
  expect(format.size([0.4, 1.25, 0.03])).toBe("0.4 × 1.25 × 0.03 m");
  expect(format.size([0.004, 0.0125, 0.0003])).toBe("0.4 × 1.25 × 0.03 cm");
  expect(format.size([0, 0, 0.0004])).toBe("0 × 0 × 0.4 mm");
  expect(format.size(null)).toBe("–");
});

it("proposes the padding that is common for a tile (common practice: 16 px at 2048)", () => {
  const found = [512, 1024, 2048, 4096, 64].map((size) => format.usualPadding(size));
  expect(found).toEqual([4, 8, 16, 32, 2]);
  expect(format.usualPadding(8192, 64)).toBe(16);
});
