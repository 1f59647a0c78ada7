import { CONTROLS, MEASURED } from "../editor/flags.generated";
import { useActing, useAction } from "../api/actions/act";
import { Box, Flex, IconButton, Input, Text } from "@chakra-ui/react";
import {
  createColumnHelper,
  flexRender,
  getCoreRowModel,
  getExpandedRowModel,
  getFilteredRowModel,
  getSortedRowModel,
  useReactTable,
  type ExpandedState,
  type SortingState,
} from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { ChevronDown, ChevronRight, CircleOff, Pin, RotateCwSquare, Square } from "lucide-react";
import { useCallback, useMemo, useRef, useState } from "react";
import type { Atlas, LayoutInfo, Project, Report } from "../api/client";
import { oldWords, useEditor } from "../api/hooks";
import { menuCommands } from "../commands/menu";
import { scaleFor, ticks, toX } from "../editor/density/logScale";
import { findingsOf } from "../editor/findings/walk";
import { numberIn } from "../editor/document/LayoutDocument";
import { islandCode } from "../editor/style/islandStyle";
import * as format from "../format";
import { useUi, type Stage } from "../state";
import { DensityRow } from "./DensityRow";
import { HouseRibbon } from "./HouseRibbon";
import { IslandMenu } from "./IslandMenu";

export type ObjectListRow = {
  key: string;
  name: string;
  colour: string;
  islands: number[];
  /** Islands of the object in all atlases; of rows that are objects. */
  whole?: number;
  faces: number | null;
  /** Along its own axes in metres; null for an island. */
  size: readonly number[] | null;
  area: number;
  weight: number | null;
  object: number;
  notes: string;
  density: number | null;
  /** Rows of its islands; made when they are unfolded. */
  unfold?: () => ObjectListRow[];
  children?: ObjectListRow[];
};

const HEAD = 30;
const FOOT = 26;
const ROW = 24;
const helper = createColumnHelper<ObjectListRow>();

/** Objects and islands as rows; every row carries its dots on one density scale. */
export function ObjectList({
  project,
  atlas,
  fold,
}: {
  project: Project;
  atlas: Atlas;
  fold?: () => void;
}) {
  const editor = useEditor("document", "selection", "figures", "view");
  const stage = useUi((ui) => ui.stage);
  const [sorting, setSorting] = useState<SortingState>([]);
  const [expanded, setExpanded] = useState<ExpandedState>({});
  const { filter, setFilter } = useUi();
  const scroll = useRef<HTMLDivElement>(null);
  const [strip, stripWidth] = useWidth(600);
  const [menu, setMenu] = useState<{ at: [number, number]; row: HTMLElement } | null>(null);
  const info = editor.document.info;
  const found = stage === "Check" ? editor.figures.report : null;
  const rows = useMemo(() => (info ? rowsOf(info, found) : []), [info, found]);
  const open = useMemo(
    () =>
      rows.map((row) =>
        row.unfold && (expanded === true || expanded[row.key])
          ? { ...row, children: row.unfold() }
          : row,
      ),
    [rows, expanded],
  );
  const acting = useActing();
  const columns = useMemo(() => columnsFor(stage), [stage]);
  const table = useReactTable({
    data: open,
    columns,
    state: { sorting, expanded, globalFilter: filter },
    getRowId: (row) => row.key,
    getSubRows: (row) => row.children,
    getRowCanExpand: (row) => row.original.unfold !== undefined && row.original.islands.length > 0,
    onSortingChange: setSorting,
    onExpandedChange: setExpanded,
    onGlobalFilterChange: setFilter,
    filterFromLeafRows: false,
    getCoreRowModel: getCoreRowModel(),
    getSortedRowModel: getSortedRowModel(),
    getExpandedRowModel: getExpandedRowModel(),
    getFilteredRowModel: getFilteredRowModel(),
  });
  const shown = table.getRowModel().rows;
  const virtual = useVirtualizer({
    count: shown.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => ROW,
    overscan: 8,
  });
  const densities = info?.figures?.island_density ?? [];
  const old = oldWords(editor);
  const scale = scaleFor(densities, editor.view.house, stripWidth);
  const gridColumns = `${table
    .getVisibleLeafColumns()
    .map((c) => `${c.getSize()}px`)
    .join(" ")} minmax(200px, 1fr)`;
  const fixed = table.getVisibleLeafColumns().reduce((sum, c) => sum + c.getSize(), 0);

  const pick = (row: ObjectListRow, add: boolean) => {
    // An object without islands is selected by its faces, where these can be selected.
    if (!row.islands.length && editor.picks.fetch) return void editor.pickObject(row.object, add);
    editor.select((selection) => {
      if (add) selection.toggle(row.islands);
      else selection.set(row.islands);
    });
  };

  /** What can be done with a row: it is selected first. */
  const openMenu = (row: ObjectListRow, all: boolean, from: HTMLElement, at: [number, number]) => {
    if (!all) pick(row, false);
    if (row.islands.length) setMenu({ at, row: from });
  };

  return (
    <Box
      as="section"
      aria-label="Objects"
      bg="panel"
      borderTopWidth="1px"
      borderColor="line"
      display="grid"
      gridTemplateRows={`${HEAD}px minmax(0, 1fr) ${FOOT}px`}
      minH="0"
      position="relative"
      data-testid="object-list"
    >
      <Box
        role="treegrid"
        aria-label="Objects and islands"
        aria-rowcount={shown.length + 1}
        display="contents"
      >
        <Box
          display="grid"
          gridTemplateColumns={gridColumns}
          alignItems="center"
          fontSize="12px"
          color="soft"
          role="row"
          aria-rowindex={1}
        >
          {table.getFlatHeaders().map((header) => {
            const sorted = header.column.getIsSorted();
            const name = flexRender(header.column.columnDef.header, header.getContext());
            return (
              <Box
                key={header.id}
                role="columnheader"
                aria-sort={
                  sorted === "asc" ? "ascending" : sorted === "desc" ? "descending" : undefined
                }
                px="2"
                fontWeight="600"
                textAlign={numeric(header.id) ? "right" : "left"}
              >
                {header.column.getCanSort() ? (
                  <Box
                    as="button"
                    minH="24px"
                    fontWeight="600"
                    cursor="pointer"
                    onClick={header.column.getToggleSortingHandler()}
                    title="Sort"
                  >
                    {name}
                    {sorted === "asc" ? " ↑" : sorted === "desc" ? " ↓" : ""}
                  </Box>
                ) : (
                  name
                )}
              </Box>
            );
          })}
          <Box
            role="columnheader"
            aria-label="Density of each island"
            position="relative"
            h="100%"
            ref={strip}
          >
            {ticks(scale, 52).map((value) => {
              const x = toX(scale, value);
              return x > 14 && x < stripWidth - 60 ? (
                <Text
                  key={value}
                  position="absolute"
                  left={`${x}px`}
                  top="2px"
                  transform="translateX(-50%)"
                >
                  {format.density(value)}
                </Text>
              ) : null;
            })}
            <Text position="absolute" right="14px" top="2px">
              {format.densityUnit()}
            </Text>
          </Box>
        </Box>
        <Box ref={scroll} overflowY="auto" overflowX="hidden" role="rowgroup">
          <Box
            role="presentation"
            position="relative"
            h={`${Math.max(virtual.getTotalSize(), 1)}px`}
          >
            {virtual.getVirtualItems().map((item) => {
              const row = shown[item.index];
              const chosen = row.original.islands.filter((i) => editor.selection.has(i)).length;
              const all = chosen > 0 && chosen === row.original.islands.length;
              return (
                <Box
                  key={row.id}
                  role="row"
                  tabIndex={0}
                  aria-rowindex={item.index + 2}
                  aria-level={row.depth + 1}
                  aria-expanded={row.getCanExpand() ? row.getIsExpanded() : undefined}
                  aria-selected={all}
                  _focusVisible={{ outlineOffset: "-2px" }}
                  position="absolute"
                  top="0"
                  left="0"
                  right="0"
                  h={`${ROW}px`}
                  transform={`translateY(${item.start}px)`}
                  display="grid"
                  gridTemplateColumns={gridColumns}
                  alignItems="center"
                  bg={
                    all ? "petrol/25" : chosen ? "petrol/12" : item.index % 2 ? "stripe" : "panel"
                  }
                  cursor="default"
                  _hover={{ bg: all ? "petrol/30" : "petrol/8" }}
                  data-row={row.original.name}
                  onClick={(e) => pick(row.original, e.shiftKey || e.ctrlKey || e.metaKey)}
                  onDoubleClick={() => editor.frameSelection()}
                  onContextMenu={(e) => {
                    e.preventDefault();
                    openMenu(row.original, all, e.currentTarget, [e.clientX, e.clientY]);
                  }}
                  onKeyDown={(e) =>
                    objectListKey(
                      e,
                      row,
                      () => pick(row.original, e.shiftKey),
                      (element) => {
                        const { left, bottom } = element.getBoundingClientRect();
                        openMenu(row.original, all, element, [left + 40, bottom]);
                      },
                    )
                  }
                >
                  {row.getVisibleCells().map((cell) => (
                    <Box
                      key={cell.id}
                      role="gridcell"
                      px="2"
                      textAlign={numeric(cell.column.id) ? "right" : "left"}
                      truncate
                      data-old={MEASURED_COLUMNS.includes(cell.column.id) ? old : undefined}
                    >
                      {flexRender(cell.column.columnDef.cell, cell.getContext())}
                    </Box>
                  ))}
                  <Box
                    role="gridcell"
                    aria-label={densityWords(row.original, densities)}
                    minW="0"
                    data-old={old}
                  >
                    <DensityRow
                      islands={row.original.islands}
                      editor={editor}
                      scale={scale}
                      version={
                        editor.document.signal.version +
                        editor.selection.signal.version +
                        editor.view.signal.version
                      }
                    />
                  </Box>
                </Box>
              );
            })}
          </Box>
        </Box>
      </Box>
      {menu && (
        <>
          <Box position="fixed" inset="0" zIndex="popover" onPointerDown={() => setMenu(null)} />
          <IslandMenu
            at={menu.at}
            position="fixed"
            room={{ width: window.innerWidth, height: window.innerHeight }}
            commands={menuCommands(editor, acting, project, atlas)}
            close={() => {
              setMenu(null);
              menu.row.focus();
            }}
          />
        </>
      )}
      <HouseRibbon editor={editor} scale={scale} left={fixed} top={HEAD - 11} bottom={FOOT} />
      <Flex
        px="3"
        align="center"
        justify="space-between"
        fontSize="12px"
        color="soft"
        borderTopWidth="1px"
        borderColor="line"
      >
        <Flex align="center" gap="2">
          {fold && (
            <IconButton
              size="2xs"
              variant="ghost"
              h="20px"
              aria-label="Fold the object list to a strip"
              title="Fold the object list to a strip"
              onClick={fold}
            >
              <ChevronDown size={14} />
            </IconButton>
          )}
          <Text>
            {rows.length} {rows.length === 1 ? "object" : "objects"} ·{" "}
            {format.counted(info?.world_area.length ?? 0, "island")} ·{" "}
            {format.houseBand(editor.view.houseBand)}
          </Text>
        </Flex>
        <Input
          size="2xs"
          w="180px"
          placeholder="Find an object"
          aria-label="Find an object"
          value={filter}
          onChange={(e) => setFilter(e.target.value)}
        />
      </Flex>
    </Box>
  );
}

/** Width in px of an element, asked for only when it changes. */
function useWidth(before: number): [(element: HTMLDivElement | null) => void, number] {
  const [width, setWidth] = useState(before);
  const observer = useRef<ResizeObserver | null>(null);
  const watch = useCallback((element: HTMLDivElement | null) => {
    observer.current?.disconnect();
    if (!element) return;
    observer.current = new ResizeObserver(([entry]) =>
      setWidth(Math.round(entry.contentRect.width)),
    );
    observer.current.observe(element);
  }, []);
  return [watch, width];
}

/** What the dots of a row say, for who cannot see them. */
function densityWords({ islands }: ObjectListRow, densities: readonly (number | null)[]): string {
  const known = islands
    .map((i) => densities[i])
    .filter((d): d is number => d !== null && d !== undefined);
  return known.length
    ? `${format.density(Math.min(...known.slice(0, 50_000)))} to ${format.densityIn(Math.max(...known.slice(0, 50_000)))}`
    : "no density";
}

const islandCount = ({ islands, whole = islands.length }: ObjectListRow) =>
  islands.length < whole ? `${islands.length} of ${whole}` : format.whole(islands.length);

/** Columns of figures of the layout. */
const MEASURED_COLUMNS = ["density", "notes"];

const numeric = (id: string) => ["islands", "faces", "density"].includes(id);

function objectListKey(
  event: React.KeyboardEvent<HTMLElement>,
  row: { getCanExpand: () => boolean; toggleExpanded: (v?: boolean) => void },
  pick: () => void,
  open: (row: HTMLElement) => void,
) {
  const sibling =
    event.key === "ArrowDown"
      ? event.currentTarget.nextElementSibling
      : event.key === "ArrowUp"
        ? event.currentTarget.previousElementSibling
        : null;
  if (sibling instanceof HTMLElement) sibling.focus();
  else if (event.key === " ") pick();
  else if (event.key === "Enter") open(event.currentTarget);
  else if (event.key === "ArrowRight" && row.getCanExpand()) row.toggleExpanded(true);
  else if (event.key === "ArrowLeft" && row.getCanExpand()) row.toggleExpanded(false);
  else return;
  event.preventDefault();
}

function rowsOf(info: LayoutInfo, report: Report | null): ObjectListRow[] {
  const total = info.world_area.reduce((sum, area) => sum + area, 0) || 1;
  const flags = info.figures?.island_flags ?? [];
  const densities = info.figures?.island_density ?? [];
  return info.objects.map((o) => {
    const islands = Array.from({ length: o.islands }, (_, k) => o.first_island + k);
    const known = islands.filter((i) => densities[i] !== null && densities[i] !== undefined);
    const area = islands.reduce((sum, i) => sum + info.world_area[i], 0);
    const pixels = known.reduce((sum, i) => sum + densities[i]! ** 2 * info.world_area[i], 0);
    const knownArea = known.reduce((sum, i) => sum + info.world_area[i], 0);
    return {
      key: `o${o.id}`,
      name: o.name,
      colour: o.colour,
      islands,
      faces: o.faces,
      size: o.size,
      area: area / total,
      weight: o.weight,
      object: o.id,
      density: knownArea > 0 ? Math.sqrt(pixels / knownArea) : null,
      notes: report
        ? findingsOf(report, new Set(islands), o.name)
        : notesOf(islands, flags, o.unflattened),
      whole: o.whole,
      unfold: () =>
        islands.map((i) => ({
          key: `i${i}`,
          name: islandCode(o.name, numberIn(o, i)),
          colour: o.colour,
          islands: [i],
          faces: null,
          size: null,
          area: info.world_area[i] / total,
          weight: null,
          object: o.id,
          density: densities[i] ?? null,
          notes: report ? findingsOf(report, new Set([i]), "") : notesOf([i], flags, 0),
        })),
    };
  });
}

function notesOf(islands: number[], flags: number[], unflattened: number): string {
  const count = (flag: number) => islands.filter((i) => flags[i] & flag).length;
  const told: [number, string][] = [
    [count(MEASURED.outside), "outside"],
    [count(MEASURED.overlapping), "overlapping"],
    [count(MEASURED.mirrored), "mirrored"],
    [count(MEASURED.collapsed), "collapsed"],
    [count(MEASURED.side_table), "on the side table"],
  ];
  const parts = told
    .filter(([n]) => n)
    .map(([n, word]) => (islands.length === 1 ? word : `${n} ${word}`));
  if (unflattened) parts.unshift(`no UVs (${format.counted(unflattened, "face")}), left out`);
  return parts.join(", ");
}

function columnsFor(stage: Stage) {
  const name = helper.accessor("name", {
    header: "Object",
    size: 190,
    cell: ({ row }) => (
      <Flex align="center" gap="1.5" pl={row.depth ? "22px" : "0"}>
        {row.getCanExpand() ? (
          <Box
            as="button"
            w="24px"
            h="24px"
            ml="-4px"
            mr="-4px"
            display="inline-flex"
            alignItems="center"
            justifyContent="center"
            aria-label={row.getIsExpanded() ? "Fold islands" : "Show islands"}
            onClick={(e: React.MouseEvent) => {
              e.stopPropagation();
              row.toggleExpanded();
            }}
          >
            {row.getIsExpanded() ? <ChevronDown size={13} /> : <ChevronRight size={13} />}
          </Box>
        ) : (
          <Box w="13px" />
        )}
        <Box
          w="11px"
          h="11px"
          rounded="3px"
          borderWidth="1px"
          borderColor="ink/50"
          flexShrink="0"
          style={{ background: row.original.colour }}
        />
        <Text truncate fontWeight={row.depth ? "400" : "500"}>
          {row.original.name}
        </Text>
      </Flex>
    ),
  });
  const islands = helper.accessor((row) => row.islands.length, {
    id: "islands",
    header: "Islands",
    size: 64,
    cell: (c) => (c.row.depth ? "" : islandCount(c.row.original)),
  });
  const faces = helper.accessor((row) => row.faces ?? 0, {
    id: "faces",
    header: "Faces",
    size: 66,
    cell: (c) => (c.row.original.faces === null ? "" : format.whole(c.getValue())),
  });
  const size = helper.accessor((row) => Math.max(0, ...(row.size ?? [])), {
    id: "size",
    header: "Size",
    size: 150,
    cell: (c) =>
      c.row.depth ? (
        ""
      ) : (
        <Text as="span" truncate title="Along its own axes, where it stands largest">
          {format.size(c.row.original.size)}
        </Text>
      ),
  });
  const share = helper.accessor("area", {
    id: "share",
    header: "Share of area",
    size: 118,
    cell: (c) => (
      <Flex align="center" gap="2">
        <Box
          h="5px"
          rounded="full"
          bg="petrol/45"
          w={`${Math.max(2, 56 * Math.min(1, c.getValue() * 3))}px`}
        />
        <Text ml="auto">{(100 * c.getValue()).toFixed(1)} %</Text>
      </Flex>
    ),
  });
  const weight = helper.accessor((row) => row.weight ?? 0, {
    id: "weight",
    header: "Weight",
    size: 78,
    cell: ({ row }) => (row.original.weight === null ? "" : <WeightCell row={row.original} />),
  });
  const control = helper.display({
    id: "control",
    header: "Locks",
    size: 120,
    cell: ({ row }) => <LockCell row={row.original} />,
  });
  const density = helper.accessor((row) => row.density ?? 0, {
    id: "density",
    header: () => format.densityUnit(),
    size: 66,
    cell: (c) => format.density(c.row.original.density),
  });
  const notes = helper.accessor("notes", {
    header: "Notes",
    size: stage === "Check" ? 290 : 190,
    cell: (c) => (
      <Text as="span" color="rose" title={c.getValue()}>
        {c.getValue()}
      </Text>
    ),
  });
  const sets: Record<Stage, unknown[]> = {
    Gather: [name, islands, faces, share, size, notes],
    Unwrap: [name, islands, faces, density, share, notes],
    "Even out": [name, islands, density, share, weight, size, notes],
    Arrange: [name, islands, share, control, weight, notes],
    Merge: [name, islands, density, share, notes],
    Check: [name, islands, density, notes],
    "Hand off": [name, islands, faces, density, notes],
  };
  return sets[stage] as (typeof name)[];
}

const LOCKS = [
  { key: "lock_place", bit: CONTROLS.lock_place, name: "place", Icon: Pin },
  { key: "lock_rotation", bit: CONTROLS.lock_rotation, name: "rotation", Icon: RotateCwSquare },
  { key: "lock_size", bit: CONTROLS.lock_size, name: "size", Icon: Square },
  { key: "leave_out", bit: CONTROLS.leave_out, name: "leave out", Icon: CircleOff },
] as const;

/** Small buttons for the locks of a row's islands; a dot says that only some have it. */
function LockCell({ row }: { row: ObjectListRow }) {
  const controlAction = useAction("control");
  const editor = useEditor("document");
  return (
    <Flex gap="0">
      {LOCKS.map(({ key, bit, name, Icon }) => {
        const have = row.islands.filter((i) => editor.document.control(i).flags & bit).length;
        const all = have > 0 && have === row.islands.length;
        return (
          <IconButton
            key={key}
            size="2xs"
            minW="24px"
            w="24px"
            h="24px"
            variant={all ? "solid" : "ghost"}
            bg={all ? "petrol" : undefined}
            color={all ? "onPetrol" : have ? "petrol" : "soft/60"}
            aria-pressed={all}
            aria-label={`${name === "leave out" ? "Leave out" : `Lock ${name} of`} ${row.name}`}
            title={`${name === "leave out" ? "leave out" : `lock ${name}`}${have && !all ? ` (${have} of ${row.islands.length})` : ""}`}
            disabled={!row.islands.length || controlAction.busy}
            onClick={(e) => {
              e.stopPropagation();
              controlAction.run({ islands: row.islands, [key]: !all });
            }}
          >
            <Icon size={12} />
          </IconButton>
        );
      })}
    </Flex>
  );
}

function WeightCell({ row }: { row: ObjectListRow }) {
  const memberAction = useAction("member");
  return (
    <Input
      key={row.weight}
      size="2xs"
      w="60px"
      h="24px"
      textAlign="right"
      defaultValue={`${row.weight} ×`}
      aria-label={`Weight of ${row.name}`}
      onClick={(e) => e.stopPropagation()}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Enter") e.currentTarget.blur();
      }}
      onBlur={(e) => {
        const value = parseFloat(e.target.value);
        if (value >= 0.01 && value <= 100) {
          if (value !== row.weight) memberAction.run({ object: row.object, weight: value });
        } else e.target.value = `${row.weight} ×`;
      }}
    />
  );
}
