import { BoxGeometry, Box3, Matrix4 } from "three";
import { expect, it } from "vitest";
import type { Geometry } from "../layout/readGeometry";
import { spreadOut } from "./spread";

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
