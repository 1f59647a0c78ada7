import type { Bounds } from "../affine/affine";
import { inTriangle } from "../affine/affine";
import { after, type SurfaceMesh } from "../surfaceMesh/SurfaceMesh";
import type { Editor } from "../Editor";

/** A triangle of an object's surface, and a point on it in the object's own space. */
export type Hit = { object: number; t: number; point: [number, number, number] };

/** Table position of a triangle corner; null where its island is not on the table. */
function cornerOnTable(editor: Editor, surface: SurfaceMesh, h: number): [number, number] | null {
  const island = surface.island(Math.floor(h / 3));
  const { model } = editor.document;
  return model && island >= 0
    ? model.place(island, surface.uv[2 * h], surface.uv[2 * h + 1])
    : null;
}

/** The triangle under a table position. */
export async function triangleAt(editor: Editor, x: number, y: number): Promise<Hit | null> {
  const island = editor.document.model?.islandAt(x, y) ?? -1;
  const object = editor.document.objectOf(island)?.id;
  const surface = object === undefined ? null : await editor.picks.ready(object);
  if (!surface || object === undefined) return null;
  for (let t = 0; t < surface.count; t++) {
    if (surface.island(t) !== island) continue;
    const p = [0, 1, 2].flatMap((k) => cornerOnTable(editor, surface, 3 * t + k)!);
    if (!inTriangle(x, y, Float64Array.from(p))) continue;
    const det = (p[2] - p[0]) * (p[5] - p[1]) - (p[3] - p[1]) * (p[4] - p[0]) || 1;
    const b = ((x - p[0]) * (p[5] - p[1]) - (y - p[1]) * (p[4] - p[0])) / det;
    const c = ((p[2] - p[0]) * (y - p[1]) - (p[3] - p[1]) * (x - p[0])) / det;
    const [q, r, s] = [0, 1, 2].map((k) => surface.point(3 * t + k));
    return {
      object,
      t,
      point: [0, 1, 2].map((k) => q[k] + b * (r[k] - q[k]) + c * (s[k] - q[k])) as [
        number,
        number,
        number,
      ],
    };
  }
  return null;
}

/** Pick the faces, edges or vertices that lie in a box on the table. */
export function pickBox(editor: Editor, box: Bounds, add: boolean): Promise<void> {
  const inside = (p: [number, number]) =>
    p[0] >= box.minX && p[0] <= box.maxX && p[1] >= box.minY && p[1] <= box.maxY;
  return pickWithin(editor, editor.document.model?.islandsIn(box) ?? [], inside, add);
}

/**
 * Pick the faces, edges or vertices of some islands whose points on the table are inside of
 * something; or let go of them.
 */
export async function pickWithin(
  editor: Editor,
  among: Iterable<number>,
  within: (p: [number, number]) => boolean,
  add: boolean,
  remove = false,
): Promise<void> {
  const { picks, document } = editor;
  const islands = new Set(among);
  const objects = [...new Set([...islands].map((island) => document.objectOf(island)?.id))].filter(
    (id): id is number => id !== undefined,
  );
  const inside = (p: [number, number] | null) => p !== null && within(p);
  const kind = picks.mode === "faces" ? "faces" : picks.mode === "vertices" ? "vertices" : "edges";
  if (!add && kind !== "edges")
    picks.objects().forEach((id) => picks.change(id, kind, "remove", [...picks.of(id)[kind]]));
  for (const object of objects) {
    const surface = await picks.ready(object);
    if (!surface) continue;
    const found = new Set<number>();
    for (let h = 0; h < 3 * surface.count; h++) {
      const t = Math.floor(h / 3);
      if (!islands.has(surface.island(t))) continue;
      const [a, b] = [cornerOnTable(editor, surface, h), cornerOnTable(editor, surface, after(h))];
      if (kind === "vertices" && inside(a)) found.add(surface.corners.corner[h]);
      else if (kind === "edges" && surface.edgeOf[h] >= 0 && inside(a) && inside(b))
        found.add(surface.edgeOf[h]);
      else if (kind === "faces" && h % 3 === 0) {
        const ring = [h, h + 1, h + 2].map((k) => cornerOnTable(editor, surface, k)!);
        if (
          inside([ring.reduce((s, p) => s + p[0], 0) / 3, ring.reduce((s, p) => s + p[1], 0) / 3])
        )
          found.add(surface.face(t));
      }
    }
    picks.change(object, kind, remove ? "remove" : "add", found);
  }
}

/** px of the screen within which a corner is taken. */
const REACH = 9;

/** The selected corner of the file at a place on the screen; undefined for none. */
export function pickedCornerAt(
  editor: Editor,
  sx: number,
  sy: number,
): { object: number; corner: number } | undefined {
  for (const object of editor.picks.objects()) {
    const surface = editor.picks.surface(object);
    for (const corner of editor.picks.of(object).vertices) {
      const h = surface?.triangleCorner(corner);
      const at = surface && h !== undefined ? cornerOnTable(editor, surface, h) : null;
      if (!at) continue;
      const [x, y] = editor.camera.toScreen(...at);
      if (Math.hypot(x - sx, y - sy) <= REACH) return { object, corner };
    }
  }
  return undefined;
}

const FACE = "rgba(46,94,98,0.35)";
export const THREAD = "#9E2A4A";
const PIN = "#E8C27A";

/** Faces as a petrol wash, edges as thread, corners as pins; `by` moves the corners while they are dragged. */
export function drawPicks(
  ctx: CanvasRenderingContext2D,
  editor: Editor,
  ink: string,
  by: [number, number] = [0, 0],
): void {
  const { picks, camera } = editor;
  for (const object of picks.objects()) {
    const surface = picks.surface(object);
    if (!surface) continue;
    const own = picks.of(object);
    const screen = (h: number): [number, number] | null => {
      const at = cornerOnTable(editor, surface, h);
      return at && camera.toScreen(...at);
    };
    ctx.fillStyle = FACE;
    ctx.beginPath();
    for (const face of own.faces)
      for (const t of surface.triangles(face)) {
        const ring = [3 * t, 3 * t + 1, 3 * t + 2].map(screen);
        if (ring.some((p) => p === null)) continue;
        ring.forEach((p, k) => (k ? ctx.lineTo(...p!) : ctx.moveTo(...p!)));
        ctx.closePath();
      }
    ctx.fill();
    ctx.strokeStyle = THREAD;
    ctx.lineWidth = 3;
    ctx.lineCap = "round";
    ctx.beginPath();
    for (const edge of own.edges)
      for (const h of surface.halves[edge]) {
        const [a, b] = h < 0 ? [null, null] : [screen(h), screen(after(h))];
        if (!a || !b) continue;
        ctx.moveTo(...a);
        ctx.lineTo(...b);
      }
    ctx.stroke();
    const start =
      picks.pathFrom?.object === object ? [surface.corners.corner[picks.pathFrom.h]] : [];
    for (const corner of [...own.vertices, ...start]) {
      const h = surface.triangleCorner(corner);
      const at = h === undefined ? null : screen(h);
      if (!at) continue;
      ctx.beginPath();
      ctx.arc(at[0] + by[0], at[1] + by[1], 5, 0, 2 * Math.PI);
      ctx.fillStyle = PIN;
      ctx.fill();
      ctx.strokeStyle = ink;
      ctx.lineWidth = 1.5;
      ctx.stroke();
    }
  }
  ctx.lineWidth = 1;
}
