import { Vector3 } from "three";
import type { Geometry } from "../layout/readGeometry";

/** Where an island lies on the model, which way it looks, and which way is up in its base UVs. */
export type OnModel = {
  x: number;
  y: number;
  z: number;
  area: number;
  /** Sum of its normals by area: short where it looks all ways. */
  facing: [number, number, number];
  upU: number;
  upV: number;
};

const known = new WeakMap<Geometry, Map<number, OnModel>>();

/**
 * Every island on the first instance of its object: area-weighted middle in world space, and how
 * the height grows along u and v.
 */
export function onModel(geometry: Geometry): Map<number, OnModel> {
  const before = known.get(geometry);
  if (before) return before;
  const out = new Map<number, OnModel>();
  const seen = new Set<unknown>();
  const [a, b, c] = [new Vector3(), new Vector3(), new Vector3()];
  const [ab, ac] = [new Vector3(), new Vector3()];
  for (const { geometry: mesh, matrix } of geometry.instances) {
    if (seen.has(mesh)) continue;
    seen.add(mesh);
    const position = mesh.getAttribute("position");
    const uv = mesh.getAttribute("uv");
    const island = mesh.getAttribute("_island");
    for (let t = 0; t + 2 < position.count; t += 3) {
      const number = island.getX(t);
      if (number < 0) continue;
      [a, b, c].forEach((point, k) =>
        point.fromBufferAttribute(position, t + k).applyMatrix4(matrix),
      );
      const normal = ab.subVectors(b, a).cross(ac.subVectors(c, a));
      const area = 0.5 * normal.length();
      const row =
        out.get(number) ??
        out
          .set(number, { x: 0, y: 0, z: 0, area: 0, facing: [0, 0, 0], upU: 0, upV: 0 })
          .get(number)!;
      normal.toArray().forEach((n, k) => (row.facing[k] += n / 2));
      row.x += (area * (a.x + b.x + c.x)) / 3;
      row.y += (area * (a.y + b.y + c.y)) / 3;
      row.z += (area * (a.z + b.z + c.z)) / 3;
      row.area += area;
      // The gradient of the height over the triangle, by its two sides.
      const [pu, pv] = [uv.getX(t + 1) - uv.getX(t), uv.getY(t + 1) - uv.getY(t)];
      const [qu, qv] = [uv.getX(t + 2) - uv.getX(t), uv.getY(t + 2) - uv.getY(t)];
      const det = pu * qv - pv * qu;
      if (Math.abs(det) < 1e-20) continue;
      row.upU += (area * ((b.y - a.y) * qv - (c.y - a.y) * pv)) / det;
      row.upV += (area * ((c.y - a.y) * pu - (b.y - a.y) * qu)) / det;
    }
  }
  for (const row of out.values()) {
    if (!row.area) continue;
    row.x /= row.area;
    row.y /= row.area;
    row.z /= row.area;
    row.upU /= row.area;
    row.upV /= row.area;
  }
  known.set(geometry, out);
  return out;
}
