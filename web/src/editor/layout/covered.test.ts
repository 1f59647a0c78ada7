import { expect, it } from "vitest";
import { coveredIslands } from "./covered";

const box = (x: number, y = 0, size = 1) => ({ minX: x, minY: y, maxX: x + size, maxY: y + size });

it("covers those that lie on the first of their stack", () => {
  const bounds = [box(0), box(0), box(0.01), box(5), box(0)];
  expect(Array.from(coveredIslands(bounds, [3, 3, 3, 3, 4]))).toEqual([0, 1, 1, 0, 0]);
});

it("leaves islands without a stack, and stacks that are not laid yet", () => {
  expect(Array.from(coveredIslands([box(0), box(0)], [-1, -1]))).toEqual([0, 0]);
  expect(Array.from(coveredIslands([box(0), box(1), box(1)], [0, 0, 0]))).toEqual([0, 0, 1]);
  expect(Array.from(coveredIslands([box(0)], []))).toEqual([0]);
});
