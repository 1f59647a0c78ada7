import { SurfaceMesh, readCorners, type Corners } from "../surfaceMesh/SurfaceMesh";
import {
  edgeLoop,
  whyNoLoop,
  nearestCorner,
  nearestEdge,
  shortestPath,
  smoothFaces,
} from "../surfaceMesh/walks";
import type { LayoutDocument } from "../document/LayoutDocument";
import { Signal, type Heard } from "../signal";

export const PICKED = ["islands", "faces", "edges", "path", "vertices"] as const;
export type Picked = (typeof PICKED)[number];

/** What a drag over empty table does while faces, edges or vertices are selected. */
export const DRAGS = ["box", "lasso", "brush"] as const;

/** What is selected of one object: faces, edges (as the surface numbers them) and corners (as the file does). */
export type Own = { faces: Set<number>; edges: Set<number>; vertices: Set<number> };

/** What the server is told is selected of an object. */
export type Sent = { id: number; faces: number[]; edges: number[]; corners: number[] };

/**
 * Faces, edges and vertices that are selected, on the table or the model. They are of meshes, which
 * never change: they outlast every layout.
 */
export class PicksManager {
  private readonly raised = new Signal();
  readonly signal: Heard = this.raised;
  mode: Picked = "islands";
  /** Fetches what an object's triangles are in its file. */
  fetch: ((object: number) => Promise<ArrayBuffer>) | null = null;
  /** Where a path begins: an object, a place of its surface. */
  pathFrom: { object: number; place: number; h: number } | null = null;
  drag: (typeof DRAGS)[number] = "box";
  /** Radius of the brush, px of the screen. */
  brush = 18;
  /** Whether what the brush passed over is eased as soon as it is lifted. */
  easing = false;
  /** Hears why what was wanted cannot be selected. */
  onSaid: ((what: string) => void) | null = null;
  /** Whether loops run on through seams. */
  through = true;
  private picked = new Map<number, Own>();
  private corners = new Map<number, Corners | Promise<void>>();
  private surfaces = new Map<number, SurfaceMesh>();

  constructor(private document: LayoutDocument) {}

  get some(): boolean {
    return [...this.picked.values()].some(
      (own) => own.faces.size + own.edges.size + own.vertices.size > 0,
    );
  }

  /**
   * How picking works: what a drag does, how wide the brush is, whether it eases, whether loops run
   * on through seams.
   */
  set(how: Partial<Pick<PicksManager, "drag" | "brush" | "easing" | "through">>): void {
    Object.assign(this, how);
    this.raised.raise();
  }

  use(mode: Picked): void {
    if (mode === this.mode) return;
    this.mode = mode;
    this.pathFrom = null;
    this.raised.raise();
  }

  /** What is selected of an object. */
  of(object: number): Own {
    return this.picked.get(object) ?? { faces: new Set(), edges: new Set(), vertices: new Set() };
  }

  objects(): number[] {
    return [...this.picked.keys()].filter((id) => {
      const own = this.of(id);
      return own.faces.size + own.edges.size + own.vertices.size > 0;
    });
  }

  count(kind: keyof Own): number {
    return this.objects().reduce((sum, id) => sum + this.of(id)[kind].size, 0);
  }

  clear(): void {
    this.picked.clear();
    this.pathFrom = null;
    this.raised.raise();
  }

  /** Another project: nothing of it is known. */
  forget(): void {
    this.corners.clear();
    this.surfaces.clear();
    this.clear();
  }

  /** An object's surface; null while it is being fetched, which is told when it is there. */
  surface(object: number): SurfaceMesh | null {
    const mesh = this.document.geometry?.instances.find((one) => one.object === object)?.geometry;
    if (!mesh) return null;
    const known = this.corners.get(object);
    if (known === undefined && this.fetch) {
      const coming = this.fetch(object).then(
        (bytes) => {
          this.corners.set(object, readCorners(bytes));
          this.raised.raise();
        },
        () => {
          this.corners.delete(object);
        },
      );
      this.corners.set(object, coming);
    }
    if (!known || known instanceof Promise) return null;
    const made = this.surfaces.get(object);
    if (made?.geometry === mesh) return made;
    const surface = new SurfaceMesh(mesh, known);
    this.surfaces.set(object, surface);
    return surface;
  }

  /** An object's surface, once it is there. */
  async ready(object: number): Promise<SurfaceMesh | null> {
    this.surface(object);
    const known = this.corners.get(object);
    if (known instanceof Promise) await known;
    return this.surface(object);
  }

  /** Change what is selected of an object. */
  change(
    object: number,
    kind: keyof Own,
    how: "set" | "add" | "remove" | "toggle",
    items: Iterable<number>,
  ): void {
    if (how === "set") this.picked.forEach((own) => own[kind].clear());
    const own = this.of(object);
    this.picked.set(object, own);
    const list = [...items];
    const all = list.every((item) => own[kind].has(item));
    for (const item of list) {
      if (how === "remove" || (how === "toggle" && all)) own[kind].delete(item);
      else own[kind].add(item);
    }
    this.raised.raise();
  }

  /**
   * A triangle was pressed at a point (in the object's own space). A double click takes the loop of
   * an edge, the smooth surface round a face.
   */
  async click(
    object: number,
    t: number,
    point: number[],
    keys: { add: boolean; double: boolean },
  ): Promise<void> {
    const surface = await this.ready(object);
    if (!surface || this.mode === "islands") return;
    const face = surface.face(t);
    const how = keys.add ? "toggle" : "set";
    if (this.mode === "faces")
      this.change(
        object,
        "faces",
        keys.double ? "add" : how,
        keys.double ? smoothFaces(surface, face, SMOOTH) : [face],
      );
    else if (this.mode === "edges") {
      const edge = nearestEdge(surface, face, point);
      // Seams that are drawn stay until they are erased: each click draws on, or takes away.
      const why = edge >= 0 && keys.double ? whyNoLoop(surface, edge, this.through) : "";
      if (why) this.onSaid?.(why);
      if (edge >= 0)
        this.change(
          object,
          "edges",
          keys.double ? "add" : "toggle",
          keys.double ? edgeLoop(surface, edge, this.through) : [edge],
        );
    } else if (this.mode === "vertices") {
      const h = nearestCorner(surface, face, point);
      if (h >= 0) this.change(object, "vertices", how, [surface.corners.corner[h]]);
    } else this.walk(object, surface, nearestCorner(surface, face, point));
  }

  /** A path goes on from where the last one ended. */
  private walk(object: number, surface: SurfaceMesh, h: number): void {
    if (h < 0) return;
    const from = this.pathFrom;
    this.pathFrom = { object, place: surface.place[h], h };
    if (from?.object === object && from.place !== surface.place[h])
      this.change(object, "edges", "add", shortestPath(surface, from.place, surface.place[h]));
    else this.raised.raise();
  }

  endPath(): boolean {
    const was = this.pathFrom !== null;
    this.pathFrom = null;
    if (was) this.raised.raise();
    return was;
  }

  /** What the server shall know. */
  sent(): Sent[] {
    return this.objects().flatMap((id) => {
      const own = this.of(id);
      const surface = this.surface(id);
      const edges = surface ? [...own.edges].map((edge) => surface.names[edge]) : [];
      return [{ id, faces: [...own.faces], edges, corners: [...own.vertices] }];
    });
  }
}

/** Edges that turn by less do not end a smooth surface. */
const SMOOTH = (25 * Math.PI) / 180;
