import { BufferGeometry, LineSegments, Matrix4, Mesh, type Object3D } from "three";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
import type { BaseLayout } from "./BaseLayout";

export type Placed3D = { geometry: BufferGeometry; matrix: Matrix4; object: number };

export type Geometry = { base: BaseLayout; instances: Placed3D[] };

/** Read the server's GLB: one mesh per object, `_island` per vertex, outlines as lines. */
export async function readGeometry(glb: ArrayBuffer, islandCount: number): Promise<Geometry> {
  const { scene } = await new GLTFLoader().parseAsync(glb, "");
  scene.updateMatrixWorld(true);
  const instances: Placed3D[] = [];
  const seen = new Set<BufferGeometry>();
  const corners: number[][] = [];
  const owners: number[][] = [];
  const octaves: number[][] = [];
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
    instances.push({ geometry, matrix: node.matrixWorld.clone(), object: Number(node.userData.object ?? -1) });
    if (seen.has(geometry)) return;
    seen.add(geometry);
    const uv = geometry.getAttribute("uv").array as Float32Array;
    const island = geometry.getAttribute("_island").array as Float32Array;
    const stretch = geometry.getAttribute("_stretch")?.array as Float32Array | undefined;
    const kept: number[] = [];
    const stretched: number[] = [];
    const numbers: number[] = [];
    for (let t = 0; t < island.length / 3; t++) {
      if (island[3 * t] < 0) continue;
      for (let k = 0; k < 6; k++) kept.push(uv[6 * t + k]);
      numbers.push(island[3 * t]);
      stretched.push(stretch?.[3 * t] ?? 0);
    }
    corners.push(kept);
    owners.push(numbers);
    octaves.push(stretched);
  });
  const base: BaseLayout = {
    count: islandCount,
    corners: Float32Array.from(corners.flat()),
    triangleIsland: Int32Array.from(owners.flat()),
    edges,
    edgeIsland,
    stretch: Float32Array.from(octaves.flat()),
  };
  return { base, instances };
}
