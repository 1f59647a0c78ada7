import { MEASURED } from "../flags.generated";
import * as format from "../../format";
import type { Bounds } from "../affine/affine";
import type { Editor } from "../Editor";
import { drawPicks } from "../picks/onTable";
import { viewLabel } from "../style/views";
import { drawBadges, drawGhost, drawThreads } from "../table/badges";
import { drawInnerLabels, drawPaper, type Palette, type Sheet } from "../table/paper";
import { drawSpots } from "../table/spots";
import { drawLabels, drawStitches } from "../table/stitches";
import { TableRenderer } from "../table/TableRenderer";
import { Boxing } from "../tools/Boxing";
import { Lasso, Region } from "../tools/Pens";
import { CornerDrag, PickBrush, PickLasso } from "../tools/Picking";
import { drawBrush, drawFrame, drawGesture, drawHeld, drawShape } from "./drawGesture";

export type Canvases = {
  under: HTMLCanvasElement;
  middle: HTMLCanvasElement;
  over: HTMLCanvasElement;
};

/** Draws the table whenever something of it changes: paper below, islands in the middle, labels and stitches above. */
export class TablePainter {
  private renderer: TableRenderer;
  private palettes: Record<string, Palette> = {};
  private asked = 0;
  private loaded: unknown = null;
  private stops: (() => void)[];
  theme = "paper";
  /** What the first sheet is called. */
  title = "";
  size = { width: 1, height: 1 };

  constructor(
    private editor: Editor,
    private canvases: Canvases,
    private styled: HTMLElement,
  ) {
    this.renderer = new TableRenderer(canvases.middle);
    this.stops = (["frames", "document", "view", "selection", "figures", "picks"] as const).map(
      (topic) => editor.signal(topic).subscribe(this.ask),
    );
  }

  dispose(): void {
    cancelAnimationFrame(this.asked);
    this.stops.forEach((stop) => stop());
    this.renderer.dispose();
  }

  resize(width: number, height: number): void {
    this.size = { width, height };
    this.editor.resizeTable(width, height);
    this.ask();
  }

  /** Draw with the next image; asked many times, it is drawn once. */
  readonly ask = (): void => {
    if (!this.asked)
      this.asked = requestAnimationFrame(() => {
        this.asked = 0;
        this.draw();
      });
  };

  draw(): void {
    const { editor, renderer, size } = this;
    if (size.width < 2) return;
    const { camera, document, view, gesture } = editor;
    const { model, info } = document;
    if (this.loaded !== (document.geometry && editor.looks.textures)) {
      this.loaded = document.geometry && editor.looks.textures;
      if (document.geometry && editor.looks.textures)
        renderer.load(document.geometry.base, editor.looks.textures);
      else renderer.clear();
    }
    // Where the corner of the first sheet is, and px per tile, for whoever watches the page from outside.
    const { parentElement } = this.canvases.under;
    if (parentElement) parentElement.dataset.view = [...camera.toScreen(0, 0), camera.scale].join();
    const ratio = window.devicePixelRatio || 1;
    const palette = (this.palettes[this.theme] ??= readPalette(this.styled));
    const paper = prepare(this.canvases.under, size, ratio);
    const sheets = info ? sheetsOf(editor, this.title) : [];
    if (info) drawPaper(paper, camera, sheets, document.map, palette);
    const u = renderer.uniforms;
    const { covering } = view;
    u.uCovering.value = covering?.texture ?? null;
    u.uCovered.value = covering ? 1 : 0;
    u.uRepeat.value.set(...(covering?.repeat ?? [1, 1]));
    u.uPerPx.value = covering?.perPx ? 1 : 0;
    u.uUseStretch.value = view.as === "stretch" ? 1 : 0;
    u.uNight.value = this.theme === "night" ? 1 : 0;
    u.uGestureX.value.set(gesture.by[0], gesture.by[1], gesture.by[2]);
    u.uGestureY.value.set(gesture.by[3], gesture.by[4], gesture.by[5]);
    renderer.draw(camera, document.map.pitch, ratio);
    const top = prepare(this.canvases.over, size, ratio);
    if (!model || !info) return;
    const onIsland = { ...palette, ink: "#1F2A44", halo: "#FFFEFA" };
    if (!gesture.active && !view.previewed) {
      if (!covering)
        drawLabels(
          top,
          camera,
          model,
          document.anchors,
          (island) =>
            document.flags(island) & MEASURED.overlapping ||
            document.covered[island] ||
            document.hidden.has(island)
              ? ""
              : labelOf(editor, island),
          onIsland,
        );
      drawThreads(
        top,
        camera,
        model,
        document.anchors,
        document.said,
        info.controls.bundle,
        (i) => editor.selection.has(i) || view.hovered === i,
        onIsland,
      );
      drawBadges(
        top,
        camera,
        model,
        document.anchors,
        document.said,
        (i) => (document.covered[i] || document.hidden.has(i) ? null : document.control(i)),
        (i) => document.mates("stack", i).length,
        onIsland,
      );
    }
    drawInnerLabels(top, camera, sheets, document.map, onIsland);
    if (view.ghost) drawGhost(top, camera, view.ghost);
    if (gesture.active) drawGesture(top, editor, onIsland);
    else if (!view.previewed) drawStitches(top, camera, model, editor.selection.list(), onIsland);
    const frame = editor.frame;
    if (frame && editor.tools.state.name === "idle" && editor.handsOn)
      drawFrame(top, editor, frame, onIsland);
    if (editor.tools.state.name === "dragging" && !gesture.active) drawHeld(top, editor);
    if (editor.figures.finding && !view.previewed)
      drawSpots(top, camera, editor.figures.finding, document.map, onIsland);
    const { state } = editor.tools;
    if (editor.picks.some || editor.picks.pathFrom)
      drawPicks(top, editor, onIsland.ink, state instanceof CornerDrag ? state.by : undefined);
    if (state instanceof PickBrush) drawBrush(top, editor, state.shape, editor.picks.brush);
    if (state instanceof PickLasso || state instanceof Lasso || state instanceof Region)
      drawShape(top, editor, state.shape, palette, state instanceof Region);
    if (state instanceof Boxing) drawBox(top, editor, state.box, palette);
    editor.firstPainted();
  }
}

function labelOf(editor: Editor, island: number): string {
  const shown = viewLabel(editor.view.as, editor.looks.seen(island), format.density);
  return shown || editor.document.code(island);
}

function sheetsOf(editor: Editor, title: string): Sheet[] {
  const figures = editor.document.info?.figures?.tiles;
  return editor.document.tiles.map(({ number, width, height, label, frozen }, k) => {
    const f = figures?.find((t) => t.number === number);
    const measured =
      f?.islands === 0
        ? " · empty"
        : f
          ? ` · ${format.percent(f.coverage)} % full · ${format.densityIn(f.density)}`
          : " · measuring";
    return {
      number,
      label: label || (k === 0 ? title : ""),
      width,
      height,
      frozen,
      old: f !== undefined && editor.figuresAreOld,
      note: `${width === height ? width : `${width} × ${height}`} px${measured}`,
    };
  });
}

function readPalette(element: HTMLElement): Palette {
  const style = getComputedStyle(element);
  const colour = (name: string) => style.getPropertyValue(`--chakra-colors-${name}`).trim();
  return {
    paper: colour("paper"),
    ink: colour("ink"),
    soft: colour("soft"),
    line: colour("line"),
    shadow: "rgba(31,42,68,0.22)",
    halo: colour("halo"),
  };
}

function prepare(
  canvas: HTMLCanvasElement,
  size: { width: number; height: number },
  ratio: number,
): CanvasRenderingContext2D {
  const w = Math.round(size.width * ratio);
  const h = Math.round(size.height * ratio);
  if (canvas.width !== w || canvas.height !== h) Object.assign(canvas, { width: w, height: h });
  const ctx = canvas.getContext("2d")!;
  ctx.setTransform(ratio, 0, 0, ratio, 0, 0);
  ctx.clearRect(0, 0, size.width, size.height);
  return ctx;
}

function drawBox(ctx: CanvasRenderingContext2D, editor: Editor, box: Bounds, palette: Palette) {
  const [l, t] = editor.camera.toScreen(box.minX, box.maxY);
  const [r, b] = editor.camera.toScreen(box.maxX, box.minY);
  ctx.setLineDash([4, 4]);
  ctx.strokeStyle = palette.ink;
  ctx.fillStyle = "rgba(46,94,98,0.12)";
  ctx.fillRect(l, t, r - l, b - t);
  ctx.strokeRect(l, t, r - l, b - t);
  ctx.setLineDash([]);
}
