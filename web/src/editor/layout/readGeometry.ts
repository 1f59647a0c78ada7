import { BufferGeometry, LineSegments, Matrix4, Mesh, type Object3D } from "three";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
import type { BaseLayout } from "./BaseLayout";

type Placed3D = { geometry: BufferGeometry; matrix: Matrix4; object: number };

export type Geometry = { base: BaseLayout; instances: Placed3D[] };

/** Read the server's GLB: one mesh per object, `_island` per vertex, outlines as lines. */
export async function readGeometry(glb: ArrayBuffer, islandCount: number): Promise<Geometry> {
  const { scene } = await new GLTFLoader().parseAsync(glb, "");
  scene.updateMatrixWorld(true);
  const instances: Placed3D[] = [];
  const seen = new Set<BufferGeometry>();
  const corners: Float32Array[] = [];
  const owners: Int32Array[] = [];
  const octaves: Float32Array[] = [];
  let edges = new Float32Array(0);
  let edgeIsland = new Int32Array(0);
  scene.traverse((node: Object3D) => {
    if (node instanceof LineSegments) {
      const rows = node.geometry.getAttribute("position").array as Float32Array;
      edges = new Float32Array((rows.length / 3) * 2);
      edgeIsland = new Int32Array(rows.length / 6);
      for (let i = 0; i < rows.length / 3; i++) {
        edges[2 * i] = rows[3 * i];
        edges[2 * i + 1] = rows[3 * i + 1];
        edgeIsland[i >> 1] = rows[3 * i + 2];
      }
      return;
    }
    if (!(node instanceof Mesh)) return;
    const geometry = node.geometry as BufferGeometry;
    instances.push({
      geometry,
      matrix: node.matrixWorld.clone(),
      object: Number(node.userData.object ?? -1),
    });
    if (seen.has(geometry)) return;
    seen.add(geometry);
    const uv = geometry.getAttribute("uv").array as Float32Array;
    const island = geometry.getAttribute("_island").array as Float32Array;
    const stretch = geometry.getAttribute("_stretch")?.array as Float32Array | undefined;
    const triangles = island.length / 3;
    const kept = new Float32Array(6 * triangles);
    const numbers = new Int32Array(triangles);
    const stretched = new Float32Array(triangles);
    let count = 0;
    for (let t = 0; t < triangles; t++) {
      if (island[3 * t] < 0) continue;
      for (let k = 0; k < 6; k++) kept[6 * count + k] = uv[6 * t + k];
      numbers[count] = island[3 * t];
      stretched[count++] = stretch?.[3 * t] ?? 0;
    }
    corners.push(kept.subarray(0, 6 * count));
    owners.push(numbers.subarray(0, count));
    octaves.push(stretched.subarray(0, count));
  });
  const base: BaseLayout = {
    count: islandCount,
    corners: joined(corners, Float32Array),
    triangleIsland: joined(owners, Int32Array),
    edges,
    edgeIsland,
    stretch: joined(octaves, Float32Array),
  };
  return { base, instances };
}

/** Arrays one after the other. */
function joined<T extends Float32Array | Int32Array>(
  parts: T[],
  Kind: new (length: number) => T,
): T {
  const out = new Kind(parts.reduce((sum, part) => sum + part.length, 0));
  let at = 0;
  for (const part of parts) {
    out.set(part, at);
    at += part.length;
  }
  return out;
}
