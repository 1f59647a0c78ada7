import { useFrame, useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import {
  Box3,
  BufferAttribute,
  BufferGeometry,
  DoubleSide,
  LineDashedMaterial,
  LineSegments,
  Matrix4,
  Mesh,
  MeshBasicMaterial,
  Points,
  PointsMaterial,
  Vector3,
} from "three";
import { LineMaterial } from "three/examples/jsm/lines/LineMaterial.js";
import { LineSegments2 } from "three/examples/jsm/lines/LineSegments2.js";
import { LineSegmentsGeometry } from "three/examples/jsm/lines/LineSegmentsGeometry.js";
import { useEditor } from "../api/hooks";
import { after, type SurfaceMesh } from "../editor/surfaceMesh/SurfaceMesh";
import type { Own } from "../editor/picks/PicksManager";
import { THREAD } from "../editor/picks/onTable";
import { seamsOf } from "../editor/surface/seams";

/** The seams of a mesh, as thread. */
export function Seams({ mesh, matrix }: { mesh: BufferGeometry; matrix: Matrix4 }) {
  const lines = useMemo(() => {
    const seams = seamsOf(mesh);
    const size = new Box3().setFromArray(seams).getSize(new Vector3()).length();
    const out = new LineSegments(
      new BufferGeometry().setAttribute("position", new BufferAttribute(seams, 3)),
      new LineDashedMaterial({ color: THREAD, dashSize: size / 90, gapSize: size / 180 }),
    );
    out.computeLineDistances();
    out.raycast = () => undefined;
    out.matrixAutoUpdate = false;
    return out;
  }, [mesh]);
  useEffect(
    () => () => {
      lines.geometry.dispose();
      (lines.material as LineDashedMaterial).dispose();
    },
    [lines],
  );
  lines.matrix.copy(matrix);
  return <primitive object={lines} />;
}

/** Faces, edges and corners of an object that are selected: a wash, thick thread, pins. */
export function PicksOnModel({ object, matrix }: { object: number; matrix: Matrix4 }) {
  const editor = useEditor("picks", "document");
  const { picks } = editor;
  const surface =
    picks.objects().includes(object) || picks.pathFrom?.object === object
      ? picks.surface(object)
      : null;
  if (!surface) return null;
  return (
    <Drawn
      surface={surface}
      own={picks.of(object)}
      start={picks.pathFrom?.object === object ? picks.pathFrom.h : -1}
      matrix={matrix}
      version={picks.signal.version}
    />
  );
}

function Drawn({
  surface,
  own,
  start,
  matrix,
  version,
}: {
  surface: SurfaceMesh;
  own: Own;
  start: number;
  matrix: Matrix4;
  version: number;
}) {
  const { invalidate, size } = useThree();
  const parts = useMemo(() => {
    void version;
    const faces = [...own.faces].flatMap((face) =>
      surface
        .triangles(face)
        .flatMap((t) => [3 * t, 3 * t + 1, 3 * t + 2].flatMap((h) => surface.point(h))),
    );
    const lines = [...own.edges].flatMap((edge) => {
      const [h] = surface.halves[edge];
      return [...surface.point(h), ...surface.point(after(h))];
    });
    const pins = [...own.vertices].flatMap((corner) => {
      const h = surface.triangleCorner(corner);
      return h === undefined ? [] : surface.point(h);
    });
    if (start >= 0) pins.push(...surface.point(start));
    const wash = new Mesh(
      flat(faces),
      new MeshBasicMaterial({
        color: "#2E5E62",
        transparent: true,
        opacity: 0.45,
        side: DoubleSide,
        depthWrite: false,
      }),
    );
    const thread = new LineSegments2(
      new LineSegmentsGeometry(),
      new LineMaterial({ color: THREAD, linewidth: 4 }),
    );
    if (lines.length) thread.geometry.setPositions(lines);
    thread.visible = lines.length > 0;
    const heads = new Points(
      flat(pins),
      new PointsMaterial({ color: "#E8C27A", size: 9, sizeAttenuation: false, depthTest: false }),
    );
    const all = [wash, thread, heads];
    for (const part of all) {
      part.raycast = () => undefined;
      part.matrixAutoUpdate = false;
      part.frustumCulled = false;
    }
    return all;
  }, [surface, own, start, version]);
  useEffect(() => {
    invalidate();
    return () =>
      parts.forEach((part) => {
        part.geometry.dispose();
        part.material.dispose();
      });
  }, [parts, invalidate]);
  // Thick lines are drawn in px of the screen.
  useFrame(() => {
    (parts[1].material as LineMaterial).resolution.set(size.width, size.height);
  });
  parts.forEach((part) => part.matrix.copy(matrix));
  return (
    <>
      {parts.map((part, k) => (
        <primitive key={k} object={part} />
      ))}
    </>
  );
}

const flat = (points: number[]) =>
  new BufferGeometry().setAttribute("position", new BufferAttribute(new Float32Array(points), 3));
