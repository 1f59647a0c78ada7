import { expect, it } from "vitest";
import cases from "../rules.cases.json";
import { againstBand, bandOf, scaleFor, ticks, toDensity, toX } from "./logScale";

it("goes there and back", () => {
  const scale = scaleFor([100, 900], 256, 400);
  expect(toDensity(scale, toX(scale, 333))).toBeCloseTo(333);
});

it("shows every value and the house density", () => {
  const scale = scaleFor([3, null, 5000], 128, 400);
  expect(toX(scale, 3)).toBeGreaterThan(0);
  expect(toX(scale, 5000)).toBeLessThan(400);
});

it("leaves out octaves that would lie too near to one another", () => {
  expect(ticks({ low: 1, high: 2 ** 12, width: 240 }, 52)).toEqual([1, 16, 256, 4096]);
  expect(ticks({ low: 64, high: 512, width: 300 }, 52)).toEqual([64, 128, 256, 512]);
});

it("puts a tick at each octave", () => {
  expect(ticks({ low: 64, high: 512, width: 1 })).toEqual([64, 128, 256, 512]);
});

it("tells which side of the band a density is on", () => {
  expect(againstBand(128, [122, 134])).toBe(0);
  expect(againstBand(100, [122, 134])).toBe(-1);
  expect(againstBand(140, [122, 134])).toBe(1);
});

it("takes the ends of the band that are said themselves", () => {
  const house = { density: 100, tolerance: 0.25, least: null, most: null };
  expect(bandOf(house)).toEqual([80, 125]);
  expect(bandOf({ ...house, most: 400 })).toEqual([80, 400]);
  expect(bandOf({ ...house, least: 50, most: 60 })).toEqual([50, 60]);
  expect(bandOf({ ...house, least: 200 })).toEqual([200, 200]);
  expect(bandOf({ ...house, most: 40 })).toEqual([40, 40]);
});

it("has the house band of the core", () => {
  for (const {
    house,
    tolerance,
    band: [low, high],
  } of cases.bands) {
    expect(
      [low * 0.9999, low * 1.0001, high * 0.9999, high * 1.0001].map((d) =>
        againstBand(d, bandOf({ density: house, tolerance, least: null, most: null })),
      ),
    ).toEqual([-1, 0, 0, 1]);
  }
});
