import { flexRender, type Row } from "@tanstack/react-table";
import { memo } from "react";
import type { LogScale } from "../editor/density/logScale";
import type { Editor } from "../editor/Editor";
import * as format from "../format";
import { DensityRow } from "./DensityRow";
import { MEASURED_COLUMNS, numeric } from "./objectListColumns";
import type { ObjectListRow } from "./objectListRows";

export const ROW = 24;

type Props = {
  editor: Editor;
  row: Row<ObjectListRow>;
  index: number;
  start: number;
  /** Widths of the columns, as a grid has them; they and the unit are what cells are made anew for. */
  grid: string;
  unit: string;
  /** Why figures are old. */
  old: string | undefined;
  densities: readonly (number | null)[];
  scale: LogScale;
  /** Of all that the dots are drawn by. */
  version: string;
  chosen: "all" | "some" | undefined;
  pick: (row: ObjectListRow, add: boolean) => void;
  openMenu: (row: ObjectListRow, all: boolean, from: HTMLElement, at: [number, number]) => void;
};

/** An object or an island, drawn anew only when something of it is another: the list is asked often. */
export const ObjectListItem = memo(function ObjectListItem(props: Props) {
  const { editor, row, index, start, grid, old, densities, scale, version, chosen } = props;
  const { pick, openMenu } = props;
  const all = chosen === "all";
  return (
    <div
      role="row"
      tabIndex={0}
      aria-rowindex={index + 2}
      aria-level={row.depth + 1}
      aria-expanded={row.getCanExpand() ? row.getIsExpanded() : undefined}
      aria-selected={all}
      data-odd={index % 2 || undefined}
      data-chosen={chosen}
      data-row={row.original.name}
      style={{
        height: ROW,
        gridTemplateColumns: grid,
        transform: `translateY(${start}px)`,
      }}
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
        <div
          key={cell.id}
          role="gridcell"
          data-numeric={numeric(cell.column.id) || undefined}
          data-old={MEASURED_COLUMNS.includes(cell.column.id) ? old : undefined}
        >
          {flexRender(cell.column.columnDef.cell, cell.getContext())}
        </div>
      ))}
      <div
        role="gridcell"
        aria-label={densityWords(row.original, densities)}
        data-dots
        data-old={old}
      >
        <DensityRow
          islands={row.original.islands}
          editor={editor}
          scale={scale}
          version={version}
        />
      </div>
    </div>
  );
});

/** What the dots of a row say, for who cannot see them. */
function densityWords({ islands }: ObjectListRow, densities: readonly (number | null)[]): string {
  const known = islands
    .map((i) => densities[i])
    .filter((d): d is number => d !== null && d !== undefined);
  const some = known.slice(0, 50_000);
  return some.length
    ? `${format.density(Math.min(...some))} to ${format.densityIn(Math.max(...some))}`
    : "no density";
}

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
