import { Box3, Vector3 } from "three";
import type { Geometry } from "../layout/readGeometry";

/** Part of the mean width of an object that stays free between two. */
const BETWEEN = 0.25;

/** How the model stands: as its files say, or its files or objects side by side. */
export type Standing = "in place" | "files apart" | "objects apart";

/** What stays together, for each object; objects of one group of which nobody knows stay together too. */
export type Groups = (object: number) => number | string | undefined;

const size = (box: Box3) => box.getSize(new Vector3());

function boxesOf<G>(geometry: Geometry, groupOf: (object: number) => G): Map<G, Box3> {
  const boxes = new Map<G, Box3>();
  for (const { geometry: mesh, matrix, object } of geometry.instances) {
    if (!mesh.boundingBox) mesh.computeBoundingBox();
    const box = mesh.boundingBox!.clone().applyMatrix4(matrix);
    const known = boxes.get(groupOf(object));
    if (known) known.union(box);
    else boxes.set(groupOf(object), box);
  }
  return boxes;
}

/** Part of its own extent by which the middle of a file may lie off the origin along two axes. */
const NEAR = 0.25;

/** Whether all files stand at the origin, one in the other. */
export function heaped(geometry: Geometry, fileOf: Groups): boolean {
  const boxes = [...boxesOf(geometry, fileOf).values()].filter((box) => !box.isEmpty());
  const centred = (box: Box3) => {
    const middle = box.getCenter(new Vector3()).toArray();
    return (
      size(box)
        .toArray()
        .filter((s, k) => Math.abs(middle[k]) <= NEAR * s).length >= 2
    );
  };
  return (
    boxes.length > 1 &&
    boxes.every(
      (box, i) => centred(box) && boxes.some((other, k) => k !== i && box.intersectsBox(other)),
    )
  );
}

/** How far each object goes, along x and z, so that all stand side by side in rows, the largest first. */
export function spreadOut(
  geometry: Geometry,
  groupOf: Groups = (object) => object,
): Map<number, Vector3> {
  const rows = [...boxesOf(geometry, groupOf)]
    .filter(([, box]) => !box.isEmpty())
    .sort(([, a], [, b]) => size(b).z - size(a).z);
  if (rows.length < 2) return new Map();
  const gap =
    (BETWEEN * rows.reduce((sum, [, box]) => sum + Math.max(size(box).x, size(box).z), 0)) /
    rows.length;
  const wide =
    Math.sqrt(rows.reduce((sum, [, box]) => sum + (size(box).x + gap) * (size(box).z + gap), 0)) *
    1.2;
  const by = new Map<ReturnType<Groups>, Vector3>();
  let [x, z, deep] = [0, 0, 0];
  for (const [group, box] of rows) {
    const s = size(box);
    if (x > 0 && x + s.x > wide) [x, z, deep] = [0, z + deep + gap, 0];
    // All stand on one floor.
    by.set(group, new Vector3(x - box.min.x, -box.min.y, z - box.min.z));
    x += s.x + gap;
    deep = Math.max(deep, s.z);
  }
  return new Map(
    geometry.instances.flatMap(({ object }) => {
      const far = by.get(groupOf(object));
      return far ? [[object, far] as const] : [];
    }),
  );
}
