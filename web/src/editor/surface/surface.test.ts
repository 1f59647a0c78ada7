import { BufferAttribute, BufferGeometry, Matrix4 } from "three";
import { expect, it } from "vitest";
import type { Geometry } from "../layout/readGeometry";
import { onModel } from "./surface";

/** A wall: u runs along x, v along the height; island 0, and the same turned by a quarter as island 1. */
function wall(): Geometry {
  const mesh = new BufferGeometry();
  const corners = [
    [0, 0],
    [2, 0],
    [2, 1],
    [0, 0],
    [2, 1],
    [0, 1],
  ];
  const points = [0, 1].flatMap(() => corners.flatMap(([x, y]) => [x, y, 0]));
  const uv = [
    ...corners.flatMap(([x, y]) => [x / 4, y / 4]),
    ...corners.flatMap(([x, y]) => [-y / 4, x / 4]),
  ];
  mesh.setAttribute("position", new BufferAttribute(new Float32Array(points), 3));
  mesh.setAttribute("uv", new BufferAttribute(new Float32Array(uv), 2));
  mesh.setAttribute(
    "_island",
    new BufferAttribute(
      new Float32Array([...Array<number>(6).fill(0), ...Array<number>(6).fill(1)]),
      1,
    ),
  );
  return {
    base: null as never,
    instances: [{ geometry: mesh, matrix: new Matrix4().makeTranslation(10, 0, 0), object: 1 }],
  };
}

it("knows where islands lie on the model, and which way is up in them", () => {
  const found = onModel(wall());
  expect(found.get(0)).toMatchObject({ x: 11, y: 0.5, z: 0, area: 2 });
  expect([found.get(0)!.upU, found.get(0)!.upV]).toEqual([
    expect.closeTo(0, 9),
    expect.closeTo(4, 9),
  ]);
  expect([found.get(1)!.upU, found.get(1)!.upV]).toEqual([
    expect.closeTo(-4, 9),
    expect.closeTo(0, 9),
  ]);
});
