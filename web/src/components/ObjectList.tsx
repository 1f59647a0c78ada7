import { Box, Flex, IconButton, Input, Text } from "@chakra-ui/react";
import {
  flexRender,
  getCoreRowModel,
  getExpandedRowModel,
  getFilteredRowModel,
  getSortedRowModel,
  useReactTable,
  type ExpandedState,
  type Header,
  type SortingState,
} from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { ChevronDown } from "lucide-react";
import { memo, useCallback, useMemo, useRef, useState } from "react";
import { useActing } from "../api/actions/act";
import type { Atlas, Project } from "../api/client";
import { oldWords, useEditor } from "../api/hooks";
import { menuCommands } from "../commands/menu";
import { scaleFor, ticks, toX, type LogScale } from "../editor/density/logScale";
import type { Editor } from "../editor/Editor";
import * as format from "../format";
import { useUi } from "../state";
import { HouseRibbon } from "./HouseRibbon";
import { IslandMenu } from "./IslandMenu";
import { columnsFor, LOOK, numeric } from "./objectListColumns";
import { ObjectListItem, ROW } from "./ObjectListItem";
import { rowsOf, type ObjectListRow } from "./objectListRows";

const HEAD = 30;
const FOOT = 26;
const UNKNOWN: (number | null)[] = [];

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
  const theme = useUi((ui) => ui.theme);
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
  const densities = info?.figures?.island_density ?? UNKNOWN;
  const old = oldWords(editor);
  const { house, houseBand } = editor.view;
  const unit = format.densityUnit();
  const scale = useMemo(
    () => scaleFor(densities, house, stripWidth),
    [densities, house, stripWidth],
  );
  const gridColumns = `${table
    .getVisibleLeafColumns()
    .map((c) => `${c.getSize()}px`)
    .join(" ")} minmax(200px, 1fr)`;
  const fixed = table.getVisibleLeafColumns().reduce((sum, c) => sum + c.getSize(), 0);

  const pick = useCallback(
    (row: ObjectListRow, add: boolean) => {
      // An object without islands is selected by its faces, where these can be selected.
      if (!row.islands.length && editor.picks.fetch) return void editor.pickObject(row.object, add);
      editor.select((selection) => {
        if (add) selection.toggle(row.islands);
        else selection.set(row.islands);
      });
    },
    [editor],
  );

  /** What can be done with a row: it is selected first. */
  const openMenu = useCallback(
    (row: ObjectListRow, all: boolean, from: HTMLElement, at: [number, number]) => {
      if (!all) pick(row, false);
      if (row.islands.length) setMenu({ at, row: from });
    },
    [pick],
  );

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
        css={LOOK}
      >
        <Head
          headers={table.getFlatHeaders()}
          sorting={sorting}
          grid={gridColumns}
          scale={scale}
          unit={unit}
          strip={strip}
        />
        <Box ref={scroll} overflowY="auto" overflowX="hidden" role="rowgroup">
          <Box
            role="presentation"
            position="relative"
            h={`${Math.max(virtual.getTotalSize(), 1)}px`}
          >
            {virtual.getVirtualItems().map((item) => {
              const row = shown[item.index];
              const [chosen, mark] = chosenOf(row.original, editor);
              return (
                <ObjectListItem
                  key={row.id}
                  editor={editor}
                  row={row}
                  index={item.index}
                  start={item.start}
                  grid={gridColumns}
                  unit={unit}
                  old={old}
                  densities={densities}
                  scale={scale}
                  version={`${editor.document.signal.version} ${theme} ${editor.view.band.join(" ")} ${mark}`}
                  chosen={chosen}
                  pick={pick}
                  openMenu={openMenu}
                />
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
            {format.counted(info?.world_area.length ?? 0, "island")} · {format.houseBand(houseBand)}
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

/** Whether the islands of a row are selected, and a mark that another selection of them does not have. */
function chosenOf(
  { islands }: ObjectListRow,
  editor: Editor,
): ["all" | "some" | undefined, number] {
  let [count, mark] = [0, 0];
  for (const island of islands)
    if (editor.selection.has(island)) {
      count++;
      mark = (Math.imul(mark, 31) + island + 1) | 0;
    }
  return [count ? (count === islands.length ? "all" : "some") : undefined, mark];
}

type HeadProps = {
  headers: Header<ObjectListRow, unknown>[];
  sorting: SortingState;
  grid: string;
  scale: LogScale;
  unit: string;
  strip: (element: HTMLDivElement | null) => void;
};

/** What the columns are called; a press sorts by one. */
const Head = memo(function Head({ headers, grid, scale, unit, strip }: HeadProps) {
  return (
    <Box
      fontSize="12px"
      color="soft"
      role="row"
      aria-rowindex={1}
      style={{ gridTemplateColumns: grid }}
    >
      {headers.map((header) => {
        const sorted = header.column.getIsSorted();
        const name = flexRender(header.column.columnDef.header, header.getContext());
        return (
          <div
            key={header.id}
            role="columnheader"
            aria-sort={
              sorted === "asc" ? "ascending" : sorted === "desc" ? "descending" : undefined
            }
            data-numeric={numeric(header.id) || undefined}
          >
            {header.column.getCanSort() ? (
              <button type="button" onClick={header.column.getToggleSortingHandler()} title="Sort">
                {name}
                {sorted === "asc" ? " ↑" : sorted === "desc" ? " ↓" : ""}
              </button>
            ) : (
              name
            )}
          </div>
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
          return x > 14 && x < scale.width - 60 ? (
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
          {unit}
        </Text>
      </Box>
    </Box>
  );
});
