import { BoxGeometry, Box3, Matrix4 } from "three";
import { expect, it } from "vitest";
import type { Geometry } from "../layout/readGeometry";
import { heaped, spreadOut } from "./spread";

const boxes = (sizes: [number, number, number][]): Geometry => ({
  base: null as never,
  instances: sizes.map((size, k) => ({
    geometry: new BoxGeometry(...size),
    matrix: new Matrix4(),
    object: k + 1,
  })),
});

it("stands objects of one origin side by side on one floor", () => {
  const geometry = boxes([
    [2, 1, 2],
    [1, 3, 1],
    [4, 1, 0.5],
    [1, 1, 1],
    [2, 2, 2],
  ]);
  const apart = spreadOut(geometry);
  const now = geometry.instances.map(({ geometry: mesh, object }) => {
    mesh.computeBoundingBox();
    const by = apart.get(object)!;
    return new Box3(mesh.boundingBox!.min.clone().add(by), mesh.boundingBox!.max.clone().add(by));
  });
  now.forEach((box, i) => {
    expect(box.min.y).toBeCloseTo(0, 6);
    now.slice(0, i).forEach((other) => expect(box.intersectsBox(other)).toBe(false));
  });
});

it("leaves one object where it is", () => {
  expect(spreadOut(boxes([[1, 1, 1]])).size).toBe(0);
});

it("keeps what is of one file together", () => {
  const geometry = boxes([
    [2, 1, 2],
    [1, 3, 1],
    [4, 1, 0.5],
  ]);
  const apart = spreadOut(geometry, (object) => (object < 3 ? "shelf" : "board"));
  expect(apart.get(1)).toEqual(apart.get(2));
  expect(apart.get(1)!.distanceTo(apart.get(3)!)).toBeGreaterThan(1);
});

it("files are heaped when all stand at the origin, one in the other", () => {
  const own = (object: number) => object;
  const three = boxes([
    [2, 1, 2],
    [1, 3, 1],
    [4, 1, 0.5],
  ]);
  expect(heaped(three, own)).toBe(true);
  expect(heaped(three, () => "one file")).toBe(false);
  // Standing on the floor is still at the origin; standing 3 m aside is not.
  three.instances[1].matrix.makeTranslation(0, 1.5, 0);
  expect(heaped(three, own)).toBe(true);
  three.instances[1].matrix.makeTranslation(3, 0, 0);
  expect(heaped(three, own)).toBe(false);
});
