import { useActing, useAction } from "../api/actions/act";
import { Box, Button, Center, Flex, IconButton, Text } from "@chakra-ui/react";
import { Maximize } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import type { Atlas, Job, Project } from "../api/client";
import { useEditor } from "../api/hooks";
import { menuCommands } from "../commands/menu";
import { TOOLS_PX, type Editor } from "../editor/Editor";
import { copyOf } from "../editor/render/copyOf";
import { TablePainter } from "../editor/render/TablePainter";
import { sizeOf } from "../editor/selection/finders";
import { Pinch } from "../editor/tools/Pinch";
import type { PointerAt } from "../editor/tools/Tool";
import * as format from "../format";
import type { Corner } from "../room";
import { useLooked } from "../looked";
import { editor, useKept, useUi } from "../state";
import { MergedTile } from "./MergedTile";
import { TestBakeTile } from "./TestBakeTile";
import { TileImages } from "./TileImages";
import { Before } from "./LookedAt";
import { FramePanel } from "./FramePanel";
import { PaintDistances } from "./PaintDistances";
import { Legend } from "./Legend";
import { PickToolbar } from "./PickToolbar";
import { PointerHint } from "./PointerHint";
import { Toolbar } from "./Toolbar";
import { IslandMenu } from "./IslandMenu";

/** The table: what is on it is drawn by the editor; here are the pointer, the keys and what lies over it. */
export function TableView({
  atlas,
  project,
  jobs,
  empty,
  floating,
  corner,
  numbers,
}: {
  atlas: Atlas;
  project: Project;
  jobs: Job[];
  empty: boolean;
  floating: React.ReactNode;
  corner: Corner;
  numbers: boolean;
}) {
  const { run: packHere } = useAction("pack-here");
  const acting = useActing();
  const theme = useUi((ui) => ui.theme);
  // A try is only looked at.
  const looked = useLooked((state) => state.draft !== null);
  const byHand = useUi((ui) => ui.stage === "Arrange") && !looked;
  const [provePage] = useKept<string>("check part", "Findings");
  const testBaking = useUi((ui) => ui.stage === "Check") && provePage === "Test bake" && !looked;
  const merging = useUi((ui) => ui.stage === "Merge") && !looked;
  const mending = useUi((ui) => ui.stage === "Unwrap") && !looked;
  const box = useRef<HTMLDivElement>(null);
  const under = useRef<HTMLCanvasElement>(null);
  const middle = useRef<HTMLCanvasElement>(null);
  const over = useRef<HTMLCanvasElement>(null);
  const painter = useRef<TablePainter | null>(null);
  const size = useSize(box);
  const [menu, setMenu] = useState<[number, number] | null>(null);
  const { tools, camera } = editor;

  useEffect(() => {
    const made = new TablePainter(
      editor,
      { under: under.current!, middle: middle.current!, over: over.current! },
      box.current!,
    );
    painter.current = made;
    editor.images.set("table", () => {
      made.draw();
      return copyOf([under.current!, middle.current!, over.current!]);
    });
    return () => {
      editor.images.delete("table");
      made.dispose();
    };
  }, []);
  useEffect(() => {
    if (!painter.current) return;
    Object.assign(painter.current, { theme, title: atlas.name });
    painter.current.ask();
  }, [theme, atlas.name]);
  useEffect(() => painter.current?.resize(size.width, size.height), [size]);
  useEffect(() => editor.setHandsOn(byHand), [byHand]);
  useEffect(() => {
    editor.onRegion = ({ tile, region, grow }) => {
      const islands = editor.selection.list();
      const { tell } = useUi.getState();
      if (!islands.length)
        tell({
          kind: "error",
          what: "Nothing is selected to be fitted in.",
          fix: "Select islands first, then draw where they shall go.",
        });
      else if (!tile)
        tell({ kind: "error", what: "The region lies on no tile.", fix: "Draw it on a tile." });
      else packHere({ islands, tile, region, grow });
    };
    return () => {
      editor.onRegion = null;
    };
  }, [packHere]);

  const at = (event: React.MouseEvent): PointerAt => {
    const area = box.current!.getBoundingClientRect();
    const [sx, sy] = [event.clientX - area.left, event.clientY - area.top];
    const [x, y] = camera.toTable(sx, sy);
    return {
      x,
      y,
      sx,
      sy,
      button: event.button,
      shift: event.shiftKey,
      ctrl: event.ctrlKey || event.metaKey,
      alt: event.altKey,
    };
  };
  // What lies over the table has its own pointer; what it opens elsewhere on the page is heard here too.
  const elsewhere = (event: React.SyntheticEvent) =>
    !box.current!.contains(event.target as Node) ||
    (event.target as HTMLElement).closest("[data-over-table]") !== null;
  const point = () => {
    if (box.current) box.current.style.cursor = tools.cursor;
  };
  useWheel(box);
  return (
    <Flex direction="column" flex="1" minH="0" minW="0" gap="5px">
      <Box
        ref={box}
        flex="1"
        minH="0"
        position="relative"
        rounded="lg"
        bg="cloth"
        borderWidth="1px"
        borderColor="line"
        overflow="hidden"
        minW="0"
        tabIndex={0}
        role="application"
        style={{ touchAction: "none" }}
        aria-label="Table. Arrow keys nudge what is selected, else they move the view; plus and minus zoom, F shows what is selected."
        data-testid="table"
        onPointerDown={(e) => {
          if (elsewhere(e)) return;
          setMenu(null);
          e.currentTarget.setPointerCapture(e.pointerId);
          e.currentTarget.focus({ preventScroll: true });
          if (e.pointerType === "touch" && pinch.down(e.pointerId, at(e).sx, at(e).sy)) {
            tools.cancel();
            return;
          }
          tools.down(at(e));
          point();
        }}
        onPointerMove={(e) => {
          if (!box.current!.contains(e.target as Node)) return;
          if (e.pointerType === "touch" && pinch.move(e.pointerId, at(e).sx, at(e).sy)) return;
          tools.move(at(e));
          point();
        }}
        onPointerUp={(e) => {
          if (e.pointerType === "touch" && pinch.up(e.pointerId)) return;
          tools.up(at(e));
          point();
        }}
        onPointerCancel={(e) => {
          pinch.up(e.pointerId);
          tools.cancel();
        }}
        onPointerLeave={() => tools.leave()}
        onContextMenu={(e) => {
          if (!box.current!.contains(e.target as Node)) return;
          e.preventDefault();
          const { x, y, sx, sy } = at(e);
          const island = editor.document.model?.islandAt(x, y) ?? -1;
          if (island >= 0 && !editor.selection.has(island)) editor.select((s) => s.set([island]));
          if (!tools.dragged && editor.selection.size) setMenu([sx, sy]);
        }}
        onKeyDown={(e) => {
          if (elsewhere(e)) return;
          if (e.key === " ") tools.spaceDown = true;
          if (e.key === "Escape" && (tools.cancel() || editor.picks.endPath())) {
            e.preventDefault();
            e.stopPropagation();
            return;
          }
          if (
            !e.ctrlKey &&
            !e.metaKey &&
            !(e.altKey && e.shiftKey) &&
            (tools.key(e.key, e.shiftKey, e.altKey) || e.key === " ")
          )
            e.preventDefault();
        }}
        onKeyUp={(e) => {
          if (e.key === " ") tools.spaceDown = false;
        }}
      >
        {[under, middle, over].map((ref, i) => (
          <canvas
            key={i}
            ref={ref}
            style={{
              position: "absolute",
              inset: 0,
              width: "100%",
              height: "100%",
              pointerEvents: "none",
            }}
            aria-hidden
          />
        ))}
        <Before view="table" />
        {!empty && !merging && <TileImages atlas={atlas} />}
        {!empty && merging && <MergedTile jobs={jobs} atlas={atlas} />}
        {!empty && testBaking && <TestBakeTile jobs={jobs} atlas={atlas} />}
        {!empty && testBaking && <PaintDistances atlas={atlas} />}
        {menu && (
          <Box data-over-table>
            <IslandMenu
              at={menu}
              room={size}
              commands={menuCommands(editor, acting, project, atlas)}
              close={() => {
                setMenu(null);
                box.current?.focus();
              }}
            />
          </Box>
        )}
        <OverTable empty={empty} project={project} atlas={atlas} />
        {!empty && byHand && <Toolbar />}
        {!empty && mending && <PickToolbar />}
        {!empty && byHand && <PointerHint />}
        {!empty && <Status />}
        {!empty && floating && <TableLegend />}
        {!empty && floating && (
          <Box
            data-over-table
            position="absolute"
            {...at2d(corner, byHand && (corner === "top left" || size.height < BESIDE))}
          >
            {floating}
          </Box>
        )}
      </Box>
      {!empty && numbers && (
        <Flex align="center" minH="28px">
          <FramePanel />
        </Flex>
      )}
    </Flex>
  );
}

const pinch = new Pinch(editor);

/** px of height from which the floating model has room under the tools. */
const BESIDE = 490;

/**
 * Where a corner is; the lower right one leaves room for the status, those to the left for the
 * tools where they would lie on them.
 */
const at2d = (corner: Corner, tools: boolean) => ({
  [corner.endsWith("left") ? "left" : "right"]:
    tools && corner.endsWith("left") ? `${TOOLS_PX + 4}px` : "6px",
  [corner.startsWith("top") ? "top" : "bottom"]: corner === "bottom right" ? "38px" : "6px",
});

/** What the colours mean, on the table where no docked model says it. */
function TableLegend() {
  const editor = useEditor("view");
  if (editor.view.as === "object") return null;
  return (
    <Box
      position="absolute"
      bottom="6px"
      left="50%"
      transform="translateX(-50%)"
      rounded="md"
      pointerEvents="none"
    >
      <Legend />
    </Box>
  );
}

/** What lies over the table: ghosts, and words for an empty one. */
function OverTable({ empty, project, atlas }: { empty: boolean; project: Project; atlas: Atlas }) {
  const editor = useEditor("document", "view");
  return (
    <>
      {editor.view.ghost && (
        <Button
          data-over-table
          position="absolute"
          top="6px"
          right="10px"
          size="2xs"
          variant="outline"
          bg="panel"
          borderColor="line"
          onClick={() => editor.overlay(null)}
        >
          Take the draft's outlines away
        </Button>
      )}
      {empty && (
        <Center position="absolute" inset="0" pointerEvents="none">
          <Box textAlign="center" maxW="340px">
            <Text fontFamily="heading" fontSize="19px">
              {project.objects ? `${atlas.name} is empty` : "The table is empty"}
            </Text>
            <Text color="soft">
              {project.objects
                ? "Select islands in another atlas and move them or their objects here. "
                : ""}
              Drop OBJ, glTF or GLB files anywhere here, with their MTL and textures, or a zip.
            </Text>
          </Box>
        </Center>
      )}
    </>
  );
}

/** What is under the pointer, how much is selected, and how large things are shown. */
function Status() {
  const editor = useEditor("pointer", "selection", "zoom");
  return (
    <Flex data-over-table position="absolute" bottom="6px" right="8px" gap="2" align="center">
      <Text color="soft" fontSize="12px" truncate bg="cloth/85" px="1.5" rounded="sm">
        <Chosen />
        {statusLine(editor)}
      </Text>
      <IconButton
        aria-label="Whole table"
        size="2xs"
        variant="outline"
        bg="panel"
        borderColor="line"
        onClick={() => editor.frameTable()}
        title="Show the whole table (Home)"
      >
        <Maximize size={14} />
      </IconButton>
    </Flex>
  );
}

/** How many islands are selected, and how much of a sheet they cover. */
function Chosen() {
  const editor = useEditor("document", "figures", "selection");
  const { size } = editor.selection;
  if (!size || !editor.document.model) return null;
  const [, width, height] = editor.document.tile;
  const texels = editor.selection.list().reduce((sum, island) => sum + sizeOf(editor, island), 0);
  return (
    <>
      {format.whole(size)} selected, {format.percent(texels / (width * height))} % of a tile ·{" "}
    </>
  );
}

function statusLine(editor: Editor): string {
  const hovered =
    editor.view.hovered >= 0
      ? `${editor.document.objectOf(editor.view.hovered)?.name} ${editor.document.number(editor.view.hovered)} · ${format.densityIn(editor.document.density(editor.view.hovered))} · `
      : "";
  return `${hovered}zoom ${Math.round((100 * editor.camera.scale) / Math.max(editor.document.tile[1], editor.document.tile[2]))} %`;
}

function useSize(ref: React.RefObject<HTMLDivElement | null>) {
  const [size, setSize] = useState({ width: 1, height: 1 });
  useEffect(() => {
    const observer = new ResizeObserver(([entry]) =>
      setSize({ width: entry.contentRect.width, height: entry.contentRect.height }),
    );
    observer.observe(ref.current!);
    return () => observer.disconnect();
  }, [ref]);
  return size;
}

function useWheel(ref: React.RefObject<HTMLDivElement | null>) {
  useEffect(() => {
    const element = ref.current!;
    const wheel = (e: WheelEvent) => {
      e.preventDefault();
      const area = element.getBoundingClientRect();
      editor.tools.wheel(e.clientX - area.left, e.clientY - area.top, e.deltaX, e.deltaY, {
        shift: e.shiftKey,
        alt: e.altKey,
        ctrl: e.ctrlKey,
      });
    };
    element.addEventListener("wheel", wheel, { passive: false });
    return () => element.removeEventListener("wheel", wheel);
  }, [ref]);
}
