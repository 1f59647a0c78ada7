import { describe, expect, it } from "vitest";
import { applyX, applyY, between, determinant, inTriangle } from "./affine";

const quarterTurn = new Float32Array([0, -1, 0.5, 1, 0, 0.25]);

describe("placements", () => {
  it("turn by a quarter and move", () => {
    expect(applyX(quarterTurn, 0, 0.1, 0.2)).toBeCloseTo(0.3);
    expect(applyY(quarterTurn, 0, 0.1, 0.2)).toBeCloseTo(0.35);
  });

  it("keep the area when turning and negate it when mirroring", () => {
    expect(determinant(quarterTurn, 0)).toBeCloseTo(1);
    expect(determinant(new Float32Array([-2, 0, 0, 0, 1, 0]), 0)).toBeCloseTo(-2);
  });

  it("go from one layout to the next in a straight line", () => {
    const half = between(new Float32Array(6), quarterTurn, 0.5);
    expect(half[2]).toBeCloseTo(0.25);
    expect(between(new Float32Array(12), quarterTurn, 0.5)).toBe(quarterTurn);
  });
});

describe("inTriangle", () => {
  const triangle = [0, 0, 1, 0, 0, 1];
  it("knows inside from outside, whichever way round the corners go", () => {
    expect(inTriangle(0.2, 0.2, triangle)).toBe(true);
    expect(inTriangle(0.2, 0.2, [0, 0, 0, 1, 1, 0])).toBe(true);
    expect(inTriangle(0.6, 0.6, triangle)).toBe(false);
  });
});
