import { expect, it } from "vitest";
import { readHighPoly } from "./highPoly";

it("reads places and normals of high poly triangles", () => {
  const data = new ArrayBuffer(90);
  new Float32Array(data, 0, 18).set([0, 0, 0, 1, 0, 0, 0, 1, 0, 2, 2, 2, 3, 2, 2, 2, 3, 2]);
  new Int8Array(data, 72, 18).fill(127);
  const found = readHighPoly(data);
  expect(found.getAttribute("position").count).toBe(6);
  expect([...found.getAttribute("position").array].slice(9, 12)).toEqual([2, 2, 2]);
  expect(found.getAttribute("normal").getX(5)).toBe(1);
  expect(readHighPoly(new ArrayBuffer(0)).getAttribute("position").count).toBe(0);
});
