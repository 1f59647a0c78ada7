import type { BufferGeometry } from "three";

const known = new WeakMap<BufferGeometry, Float32Array>();

/** Positions of the two ends of every seam of a mesh: edges between two faces whose islands or UVs differ. */
export function seamsOf(mesh: BufferGeometry): Float32Array {
  const before = known.get(mesh);
  if (before) return before;
  const position = mesh.getAttribute("position").array as Float32Array;
  const uv = mesh.getAttribute("uv").array as Float32Array;
  const island = mesh.getAttribute("_island").array as Float32Array;
  const corners = position.length / 3;
  const place = placesOf(position);
  const count = corners;
  // One side of each edge waits here for the other.
  const waiting = new Map<number, number>();
  const out: number[] = [];
  for (let corner = 0; corner < corners; corner++) {
    const next = corner % 3 === 2 ? corner - 2 : corner + 1;
    const [a, b] = [place[corner], place[next]];
    if (a === b) continue;
    const key = Math.min(a, b) * count + Math.max(a, b);
    const other = waiting.get(key);
    if (other === undefined) {
      waiting.set(key, corner);
      continue;
    }
    waiting.delete(key);
    const after = other % 3 === 2 ? other - 2 : other + 1;
    const turned = place[other] === a;
    const [near, far] = turned ? [other, after] : [after, other];
    const same =
      island[corner] === island[other] && equal(uv, corner, near) && equal(uv, next, far);
    if (!same)
      for (const end of [corner, next])
        out.push(position[3 * end], position[3 * end + 1], position[3 * end + 2]);
  }
  const seams = new Float32Array(out);
  known.set(mesh, seams);
  return seams;
}

function equal(uv: Float32Array, one: number, two: number): boolean {
  return (
    Math.abs(uv[2 * one] - uv[2 * two]) < 1e-5 && Math.abs(uv[2 * one + 1] - uv[2 * two + 1]) < 1e-5
  );
}

/** A number for each corner, equal for those at the same place. */
export function placesOf(position: Float32Array): Int32Array {
  const numbers = new Map<string, number>();
  const out = new Int32Array(position.length / 3);
  for (let corner = 0; corner < out.length; corner++) {
    const key = `${position[3 * corner]} ${position[3 * corner + 1]} ${position[3 * corner + 2]}`;
    let number = numbers.get(key);
    if (number === undefined) numbers.set(key, (number = numbers.size));
    out[corner] = number;
  }
  return out;
}
