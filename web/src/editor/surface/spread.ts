import { Box3, Vector3 } from "three";
import type { Geometry } from "../layout/readGeometry";

/** Part of the mean width of an object that stays free between two. */
const BETWEEN = 0.25;

/** How far each object goes, along x and z, so that all stand side by side in rows, the largest first. */
export function spreadOut(geometry: Geometry): Map<number, Vector3> {
  const boxes = new Map<number, Box3>();
  for (const { geometry: mesh, matrix, object } of geometry.instances) {
    if (!mesh.boundingBox) mesh.computeBoundingBox();
    const box = mesh.boundingBox!.clone().applyMatrix4(matrix);
    const known = boxes.get(object);
    if (known) known.union(box);
    else boxes.set(object, box);
  }
  const size = (box: Box3) => box.getSize(new Vector3());
  const rows = [...boxes]
    .filter(([, box]) => !box.isEmpty())
    .sort(([, a], [, b]) => size(b).z - size(a).z);
  if (rows.length < 2) return new Map();
  const gap =
    (BETWEEN * rows.reduce((sum, [, box]) => sum + Math.max(size(box).x, size(box).z), 0)) /
    rows.length;
  const wide =
    Math.sqrt(rows.reduce((sum, [, box]) => sum + (size(box).x + gap) * (size(box).z + gap), 0)) *
    1.2;
  const out = new Map<number, Vector3>();
  let [x, z, deep] = [0, 0, 0];
  for (const [object, box] of rows) {
    const s = size(box);
    if (x > 0 && x + s.x > wide) [x, z, deep] = [0, z + deep + gap, 0];
    // All stand on one floor.
    out.set(object, new Vector3(x - box.min.x, -box.min.y, z - box.min.z));
    x += s.x + gap;
    deep = Math.max(deep, s.z);
  }
  return out;
}
