import { Box, Button, Center, Flex, Text } from "@chakra-ui/react";
import { useEffect, useMemo, useRef, useState } from "react";
import type { Atlas, Project } from "../api/client";
import { useEditor, type Actions } from "../api/hooks";
import { FLAGS } from "../editor/style/islandStyle";
import { islandCommands, objectCommands } from "../commands";
import { IslandMenu } from "./IslandMenu";
import { drawBadges, drawGhost, drawThreads } from "../editor/table/badges";
import { drawInnerLabels, drawPaper, type Palette, type Sheet } from "../editor/table/paper";
import { drawSpots } from "../editor/table/spots";
import { viewLabel } from "../editor/style/views";
import { drawLabels, drawStitches } from "../editor/table/stitches";
import { TablePointer } from "../editor/table/TablePointer";
import { TableRenderer } from "../editor/table/TableRenderer";
import * as format from "../format";
import { useUi } from "../state";

/** The table: paper below, islands in the middle, labels and stitches above. */
export function TableView({ atlas, project, actions, empty }: { atlas: Atlas; project: Project; actions: Actions; empty: boolean }) {
  const editor = useEditor("frames", "document", "view");
  const theme = useUi((ui) => ui.theme);
  const box = useRef<HTMLDivElement>(null);
  const under = useRef<HTMLCanvasElement>(null);
  const middle = useRef<HTMLCanvasElement>(null);
  const over = useRef<HTMLCanvasElement>(null);
  const [renderer, setRenderer] = useState<TableRenderer | null>(null);
  const pointer = useMemo(() => new TablePointer(editor), [editor]);
  const size = useSize(box);
  const palettes = useRef<Record<string, Palette>>({});
  const [menu, setMenu] = useState<[number, number] | null>(null);

  useEffect(() => {
    const made = new TableRenderer(middle.current!);
    setRenderer(made);
    return () => made.dispose();
  }, []);
  useEffect(() => {
    if (renderer && editor.document.geometry && editor.looks.textures) renderer.load(editor.document.geometry.base, editor.looks.textures);
    else renderer?.clear();
  }, [renderer, editor.document.geometry, editor.looks.textures, editor]);
  useEffect(() => {
    editor.camera.resize(size.width, size.height);
    if (size.width > 1) editor.frameTable();
  }, [size, editor]);

  useEffect(() => {
    if (!renderer || size.width < 2) return;
    const { camera, document: { model, info } } = editor;
    const ratio = window.devicePixelRatio || 1;
    const palette = (palettes.current[theme] ??= readPalette(box.current!));
    const paper = prepare(under.current!, size, ratio);
    if (info) drawPaper(paper, camera, sheetsOf(editor, atlas), editor.document.map, palette);
    const u = renderer.uniforms;
    u.uChecker.value = editor.view.checker;
    u.uUseChecker.value = editor.view.as === "checker" ? 1 : 0;
    u.uRepeat.value = editor.view.checkerRepeat;
    u.uUseStretch.value = editor.view.as === "stretch" ? 1 : 0;
    u.uNight.value = theme === "night" ? 1 : 0;
    renderer.draw(camera, editor.document.map.pitch, ratio);
    const top = prepare(over.current!, size, ratio);
    if (!model || !info) return;
    const onIsland = { ...palette, ink: "#1F2A44", halo: "#FFFEFA" };
    if (editor.view.as !== "checker" && !editor.view.previewed) drawLabels(top, camera, model, editor.document.anchors, (island) => (editor.document.flags(island) & FLAGS.overlapping || editor.document.covered[island] ? "" : labelOf(editor, island)), onIsland);
    if (!editor.view.previewed) {
      drawThreads(top, camera, model, editor.document.anchors, info.controls.bundle, (i) => editor.selection.has(i) || editor.view.hovered === i, onIsland);
      drawBadges(top, camera, model, editor.document.anchors, (i) => (editor.document.covered[i] ? null : editor.document.control(i)), (i) => editor.document.mates("stack", i).length, onIsland);
    }
    drawInnerLabels(top, camera, sheetsOf(editor, atlas), editor.document.map, onIsland);
    if (editor.view.ghost) drawGhost(top, camera, editor.view.ghost);
    if (!editor.view.previewed) drawStitches(top, camera, model, editor.selection.list(), onIsland);
    if (editor.figures.finding && !editor.view.previewed) drawSpots(top, camera, editor.figures.finding, editor.document.map, onIsland);
    if (pointer.state.kind === "marquee") drawMarquee(top, pointer.state, palette);
  });

  const at = (event: React.MouseEvent): [number, number] => {
    const area = box.current!.getBoundingClientRect();
    return [event.clientX - area.left, event.clientY - area.top];
  };
  useWheel(box, pointer);
  return (
    <Box ref={box} flex="1" minH="0" position="relative" rounded="lg" bg="cloth" borderWidth="1px" borderColor="line" overflow="hidden" minW="0" tabIndex={0} role="application"
      aria-label="Table. Arrow keys move the view, plus and minus zoom, F shows what is selected." data-testid="table"
      onPointerDown={(e) => { if (e.target instanceof HTMLButtonElement) return; setMenu(null); e.currentTarget.setPointerCapture(e.pointerId); pointer.down(...at(e), e.button, e.shiftKey || e.ctrlKey); }}
      onPointerMove={(e) => pointer.move(...at(e))}
      onPointerUp={(e) => pointer.up(...at(e))}
      onPointerLeave={() => pointer.leave()}
      onContextMenu={(e) => {
        e.preventDefault();
        const [x, y] = at(e);
        const island = editor.document.model?.islandAt(...editor.camera.toTable(x, y)) ?? -1;
        if (island >= 0 && !editor.selection.has(island)) editor.select((s) => s.set([island]));
        if (!pointer.dragged && editor.selection.size) setMenu([x, y]);
      }}
      onKeyDown={(e) => {
        if (e.key === " ") pointer.spaceDown = true;
        if (!e.ctrlKey && !e.metaKey && (pointer.key(e.key, e.shiftKey, e.altKey) || e.key === " ")) e.preventDefault();
      }}
      onKeyUp={(e) => { if (e.key === " ") pointer.spaceDown = false; }}>
      {[under, middle, over].map((ref, i) => (
        <canvas key={i} ref={ref} style={{ position: "absolute", inset: 0, width: "100%", height: "100%", pointerEvents: "none" }} aria-hidden />
      ))}
      {menu && <IslandMenu at={menu} room={size} commands={[...islandCommands(editor, actions), ...objectCommands(editor, actions, project, atlas)]} close={() => { setMenu(null); box.current?.focus(); }} />}
      {editor.view.ghost && <Button position="absolute" top="6px" right="10px" size="2xs" variant="outline" bg="slip" borderColor="line" onClick={() => editor.overlay(null)}>Take the draft's outlines away</Button>}
      {empty && <Center position="absolute" inset="0"><Box textAlign="center" maxW="340px">
        <Text fontFamily="heading" fontSize="19px">{project.objects ? `${atlas.name} is empty` : "The table is empty"}</Text>
        <Text color="soft">{project.objects ? "Pick islands in another atlas and move them or their objects here. " : ""}Drop OBJ, glTF or GLB files anywhere here, with their MTL and pictures, or a zip.</Text>
      </Box></Center>}
      {!empty && <Flex position="absolute" bottom="6px" right="10px" gap="2" align="center">
        <Text color="soft" fontSize="12px">{statusLine(editor)}</Text>
        <Button size="2xs" variant="outline" bg="slip" borderColor="line" onClick={() => editor.frameTable()} title="Show the whole sheet (Home)">Whole sheet</Button>
      </Flex>}
    </Box>
  );
}

type E = ReturnType<typeof useEditor>;

function labelOf(editor: E, island: number): string {
  const shown = viewLabel(editor.view.as, editor.looks.seen(island), format.density);
  return shown || editor.document.code(island);
}

function statusLine(editor: E): string {
  const chosen = editor.selection.size ? `${editor.selection.size} selected · ` : "";
  const hovered = editor.view.hovered >= 0 ? `${editor.document.objectOf(editor.view.hovered)?.name} ${editor.document.number(editor.view.hovered)} · ${format.density(editor.document.density(editor.view.hovered))} px/m · ` : "";
  return `${hovered}${chosen}${Math.round((100 * editor.camera.scale) / Math.max(editor.document.tile[1], editor.document.tile[2]))} %`;
}

function sheetsOf(editor: E, atlas: Atlas): Sheet[] {
  const figures = editor.document.info?.figures?.tiles;
  return editor.document.tiles.map(({ number, width, height, label, frozen }, k) => {
    const f = figures?.find((t) => t.number === number);
    const measured = f?.islands === 0 ? " · empty" : f ? ` · ${format.percent(f.coverage)} % full · ${format.density(f.density)} px/m` : " · measuring";
    return { number, label: label || (k === 0 ? atlas.name : ""), width, height, frozen, note: `${width === height ? width : `${width} × ${height}`} px${measured}` };
  });
}

function readPalette(element: HTMLElement): Palette {
  const style = getComputedStyle(element);
  const colour = (name: string) => style.getPropertyValue(`--chakra-colors-${name}`).trim();
  return { paper: colour("paper"), ink: colour("ink"), soft: colour("soft"), line: colour("line"), shadow: "rgba(31,42,68,0.22)", halo: colour("halo") };
}

function prepare(canvas: HTMLCanvasElement, size: { width: number; height: number }, ratio: number): CanvasRenderingContext2D {
  const w = Math.round(size.width * ratio);
  const h = Math.round(size.height * ratio);
  if (canvas.width !== w || canvas.height !== h) Object.assign(canvas, { width: w, height: h });
  const ctx = canvas.getContext("2d")!;
  ctx.setTransform(ratio, 0, 0, ratio, 0, 0);
  ctx.clearRect(0, 0, size.width, size.height);
  return ctx;
}

function drawMarquee(ctx: CanvasRenderingContext2D, m: { x: number; y: number; toX: number; toY: number }, palette: Palette) {
  ctx.setLineDash([4, 4]);
  ctx.strokeStyle = palette.ink;
  ctx.fillStyle = "rgba(46,94,98,0.12)";
  ctx.fillRect(m.x, m.y, m.toX - m.x, m.toY - m.y);
  ctx.strokeRect(m.x, m.y, m.toX - m.x, m.toY - m.y);
  ctx.setLineDash([]);
}

function useSize(ref: React.RefObject<HTMLDivElement | null>) {
  const [size, setSize] = useState({ width: 1, height: 1 });
  useEffect(() => {
    const observer = new ResizeObserver(([entry]) => setSize({ width: entry.contentRect.width, height: entry.contentRect.height }));
    observer.observe(ref.current!);
    return () => observer.disconnect();
  }, [ref]);
  return size;
}

function useWheel(ref: React.RefObject<HTMLDivElement | null>, pointer: TablePointer) {
  useEffect(() => {
    const element = ref.current!;
    const wheel = (e: WheelEvent) => {
      e.preventDefault();
      const area = element.getBoundingClientRect();
      pointer.wheel(e.clientX - area.left, e.clientY - area.top, e.deltaX, e.deltaY, e.shiftKey, e.altKey);
    };
    element.addEventListener("wheel", wheel, { passive: false });
    return () => element.removeEventListener("wheel", wheel);
  }, [ref, pointer]);
}
