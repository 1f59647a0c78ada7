import { BufferAttribute, BufferGeometry } from "three";
import { expect, it } from "vitest";
import { seamsOf } from "./seams";

/** Two squares side by side, of two triangles each; the second may lie elsewhere in UV. */
function squares(shift: number, islands: [number, number]): BufferGeometry {
  const square = [
    [0, 0],
    [1, 0],
    [1, 1],
    [0, 0],
    [1, 1],
    [0, 1],
  ];
  const mesh = new BufferGeometry();
  const points = [0, 1].flatMap((k) => square.flatMap(([x, y]) => [x + k, y, 0]));
  const uv = [0, 1].flatMap((k) => square.flatMap(([x, y]) => [(x + k) / 4 + k * shift, y / 4]));
  mesh.setAttribute("position", new BufferAttribute(new Float32Array(points), 3));
  mesh.setAttribute("uv", new BufferAttribute(new Float32Array(uv), 2));
  mesh.setAttribute(
    "_island",
    new BufferAttribute(new Float32Array(islands.flatMap((n) => Array<number>(6).fill(n))), 1),
  );
  return mesh;
}

it("finds no seam where faces go on, and none at the mesh's own border", () => {
  expect([...seamsOf(squares(0, [0, 0]))]).toEqual([]);
});

it("finds the edge between two islands, and one that is cut within an island", () => {
  const edge = [1, 0, 0, 1, 1, 0];
  expect([...seamsOf(squares(0.5, [0, 1]))].sort()).toEqual([...edge].sort());
  expect([...seamsOf(squares(0.5, [0, 0]))].sort()).toEqual([...edge].sort());
});
