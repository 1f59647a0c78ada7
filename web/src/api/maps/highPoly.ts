import { BufferAttribute, BufferGeometry } from "three";

/** Bytes of a triangle: nine float32 places and nine int8 normals. */
const TRIANGLE = 45;

/** Read the high poly triangles of a test bake: places of all, then normals of all. */
export function readHighPoly(data: ArrayBuffer): BufferGeometry {
  const count = Math.floor(data.byteLength / TRIANGLE);
  const out = new BufferGeometry();
  out.setAttribute("position", new BufferAttribute(new Float32Array(data, 0, 9 * count), 3));
  out.setAttribute(
    "normal",
    new BufferAttribute(new Int8Array(data, 36 * count, 9 * count), 3, true),
  );
  return out;
}
