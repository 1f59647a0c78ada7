import type { BaseLayout } from "./BaseLayout";

/** For each island the middle of its largest triangle, in base UVs: a place that is surely on it. */
export function labelAnchors({ corners, triangleIsland, count }: BaseLayout): Float32Array {
  const anchors = new Float32Array(count * 2);
  const largest = new Float64Array(count).fill(-1);
  triangleIsland.forEach((island, t) => {
    const [ax, ay, bx, by, cx, cy] = corners.subarray(6 * t, 6 * t + 6);
    const area = Math.abs((bx - ax) * (cy - ay) - (by - ay) * (cx - ax));
    if (area <= largest[island]) return;
    largest[island] = area;
    anchors[2 * island] = (ax + bx + cx) / 3;
    anchors[2 * island + 1] = (ay + by + cy) / 3;
  });
  return anchors;
}
