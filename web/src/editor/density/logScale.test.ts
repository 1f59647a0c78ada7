import { expect, it } from "vitest";
import cases from "../rules.cases.json";
import { againstBand, scaleFor, ticks, toDensity, toX } from "./logScale";

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
  expect(againstBand(128, 128, 0.05)).toBe(0);
  expect(againstBand(100, 128, 0.05)).toBe(-1);
  expect(againstBand(140, 128, 0.05)).toBe(1);
});

it("has the house band of the core", () => {
  for (const {
    house,
    tolerance,
    band: [low, high],
  } of cases.bands) {
    expect(
      [low * 0.9999, low * 1.0001, high * 0.9999, high * 1.0001].map((d) =>
        againstBand(d, house, tolerance),
      ),
    ).toEqual([-1, 0, 0, 1]);
  }
});
