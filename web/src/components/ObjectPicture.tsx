import { Box } from "@chakra-ui/react";
import { useEffect, useRef } from "react";
import { Vector3 } from "three";
import { useEditor } from "../api/hooks";
import type { Geometry } from "../editor/layout/readGeometry";

/** Triangles that a small picture draws; of more it draws every second, third … */
const MOST = 4000;
/** From where one looks: a little from the side and above. */
const TO_RIGHT = new Vector3(0.87, 0, -0.5);
const UP = new Vector3(-0.25, 0.86, -0.44);
const TOWARDS = new Vector3().crossVectors(TO_RIGHT, UP);

/** An object as it stands in space, small. */
export function ObjectPicture({ object, side = 44 }: { object: number; side?: number }) {
  const editor = useEditor("document");
  const { geometry, info } = editor.document;
  const colour = info?.objects.find((o) => o.id === object)?.colour ?? "#888888";
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    if (canvas.current && geometry) paint(canvas.current, geometry, object, side, colour);
  }, [geometry, object, side, colour]);
  return (
    <Box
      as="canvas"
      ref={canvas}
      w={`${side}px`}
      h={`${side}px`}
      flexShrink="0"
      aria-hidden
      data-testid="object-picture"
    />
  );
}

function paint(
  element: HTMLCanvasElement,
  geometry: Geometry,
  object: number,
  side: number,
  colour: string,
): void {
  const ratio = window.devicePixelRatio || 1;
  element.width = element.height = side * ratio;
  const ctx = element.getContext("2d");
  const instance = geometry.instances.find((one) => one.object === object);
  const rows = instance?.geometry.getAttribute("position")?.array;
  if (!ctx || !instance || !rows) return;
  const seen = shaded(rows, instance.matrix.elements);
  const low = [Infinity, Infinity];
  const high = [-Infinity, -Infinity];
  for (const { points } of seen)
    points.forEach((value, k) => {
      low[k % 2] = Math.min(low[k % 2], value);
      high[k % 2] = Math.max(high[k % 2], value);
    });
  const scale = (0.9 * side) / Math.max(high[0] - low[0], high[1] - low[1], 1e-9);
  const at = (x: number, y: number): [number, number] => [
    side / 2 + (x - (low[0] + high[0]) / 2) * scale,
    side / 2 - (y - (low[1] + high[1]) / 2) * scale,
  ];
  ctx.scale(ratio, ratio);
  ctx.lineWidth = 0.6;
  for (const { points, light } of seen.sort((a, b) => a.depth - b.depth)) {
    ctx.beginPath();
    ctx.moveTo(...at(points[0], points[1]));
    ctx.lineTo(...at(points[2], points[3]));
    ctx.lineTo(...at(points[4], points[5]));
    ctx.closePath();
    const tone = `color-mix(in srgb, ${colour} ${Math.round(45 + 55 * light)}%, #1F2A44)`;
    ctx.fillStyle = ctx.strokeStyle = tone;
    ctx.fill();
    ctx.stroke();
  }
}

type Shaded = { points: number[]; depth: number; light: number };

/** Triangles as they are seen: where their corners are, how far in front, how light. */
export function shaded(rows: ArrayLike<number>, matrix: ArrayLike<number>): Shaded[] {
  const count = rows.length / 9;
  const step = Math.max(1, Math.ceil(count / MOST));
  const corners = [new Vector3(), new Vector3(), new Vector3()];
  const out: Shaded[] = [];
  for (let t = 0; t < count; t += step) {
    corners.forEach((corner, k) => {
      const [x, y, z] = [rows[9 * t + 3 * k], rows[9 * t + 3 * k + 1], rows[9 * t + 3 * k + 2]];
      corner.set(
        matrix[0] * x + matrix[4] * y + matrix[8] * z,
        matrix[1] * x + matrix[5] * y + matrix[9] * z,
        matrix[2] * x + matrix[6] * y + matrix[10] * z,
      );
    });
    const normal = corners[1]
      .clone()
      .sub(corners[0])
      .cross(corners[2].clone().sub(corners[0]))
      .normalize();
    out.push({
      points: corners.flatMap((corner) => [corner.dot(TO_RIGHT), corner.dot(UP)]),
      depth: corners.reduce((sum, corner) => sum + corner.dot(TOWARDS), 0) / 3,
      light: Math.abs(normal.dot(TOWARDS)),
    });
  }
  return out;
}
