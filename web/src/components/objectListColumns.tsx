import { createColumnHelper, type Row } from "@tanstack/react-table";
import { ChevronDown, ChevronRight, CircleOff, Pin, RotateCwSquare, Square } from "lucide-react";
import { useAction } from "../api/actions/act";
import { useEditor } from "../api/hooks";
import { CONTROLS } from "../editor/flags.generated";
import * as format from "../format";
import type { Stage } from "../state";
import type { ObjectListRow } from "./objectListRows";

const helper = createColumnHelper<ObjectListRow>();

/** Columns of figures of the layout. */
export const MEASURED_COLUMNS = ["density", "notes"];

export const numeric = (id: string): boolean => ["islands", "faces", "density"].includes(id);

const islandCount = ({ islands, whole = islands.length }: ObjectListRow) =>
  islands.length < whole ? `${islands.length} of ${whole}` : format.whole(islands.length);

/** What a stage asks of objects and islands. Cells are plain elements, which look as `LOOK` says. */
export function columnsFor(stage: Stage) {
  const name = helper.accessor("name", {
    header: "Object",
    size: 190,
    cell: ({ row }) => <NameCell row={row} />,
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
        <span title="Along its own axes, where it stands largest">
          {format.size(c.row.original.size)}
        </span>
      ),
  });
  const share = helper.accessor("area", {
    id: "share",
    header: "Share of area",
    size: 118,
    cell: (c) => (
      <span className="share">
        <i style={{ width: Math.max(2, 56 * Math.min(1, c.getValue() * 3)) }} />
        <span>{(100 * c.getValue()).toFixed(1)} %</span>
      </span>
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
      <span className="notes" title={c.getValue()}>
        {c.getValue()}
      </span>
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

/** How rows and their cells look; one style sheet for the whole list. */
export const LOOK = {
  "& [role=row]": { display: "grid", alignItems: "center", cursor: "default" },
  "& [role=rowgroup] [role=row]": {
    position: "absolute",
    top: "0",
    left: "0",
    right: "0",
    bg: "panel",
    "&[data-odd]": { bg: "stripe" },
    "&:hover": { bg: "petrol/8" },
    "&[data-chosen=some]": { bg: "petrol/12" },
    "&[data-chosen=all]": { bg: "petrol/25" },
    "&[data-chosen=all]:hover": { bg: "petrol/30" },
    "&:focus-visible": { outlineOffset: "-2px" },
  },
  "& [role=gridcell]": {
    px: "2",
    minW: "0",
    overflow: "hidden",
    textOverflow: "ellipsis",
    whiteSpace: "nowrap",
    "&[data-numeric]": { textAlign: "right" },
    "&[data-dots]": { px: "0" },
  },
  "& [role=columnheader]": {
    px: "2",
    fontWeight: "600",
    "&[data-numeric]": { textAlign: "right" },
    "& button": { minH: "24px", fontWeight: "600", cursor: "pointer" },
  },
  "& .name, & .share, & .locks": { display: "flex", alignItems: "center" },
  "& .name": {
    gap: "1.5",
    fontWeight: "500",
    "&[data-deep]": { pl: "22px", fontWeight: "400" },
    "& button": {
      w: "24px",
      h: "24px",
      mx: "-4px",
      display: "inline-flex",
      alignItems: "center",
      justifyContent: "center",
      cursor: "pointer",
    },
    "& .gap": { w: "13px" },
    "& .swatch": {
      w: "11px",
      h: "11px",
      rounded: "3px",
      borderWidth: "1px",
      borderColor: "ink/50",
      flexShrink: "0",
    },
    "& span": { overflow: "hidden", textOverflow: "ellipsis" },
  },
  "& .share": {
    gap: "2",
    "& i": { h: "5px", rounded: "full", bg: "petrol/45" },
    "& span": { ml: "auto" },
  },
  "& .notes": { color: "rose" },
  "& .locks button": {
    w: "24px",
    h: "24px",
    display: "inline-flex",
    alignItems: "center",
    justifyContent: "center",
    rounded: "sm",
    color: "soft/60",
    cursor: "pointer",
    "&:hover": { bg: "petrol/12" },
    "&[data-have=some]": { color: "petrol" },
    "&[data-have=all]": { bg: "petrol", color: "onPetrol" },
    "&:disabled": { opacity: 0.5, cursor: "not-allowed" },
  },
  "& [role=gridcell] input": {
    w: "60px",
    h: "24px",
    px: "2",
    textAlign: "right",
    borderWidth: "1px",
    borderColor: "border",
    rounded: "sm",
    bg: "transparent",
  },
} as const;

function NameCell({ row }: { row: Row<ObjectListRow> }) {
  const open = row.getIsExpanded();
  return (
    <span className="name" data-deep={row.depth || undefined}>
      {row.getCanExpand() ? (
        <button
          type="button"
          aria-label={open ? "Fold islands" : "Show islands"}
          onClick={(e) => {
            e.stopPropagation();
            row.toggleExpanded();
          }}
        >
          {open ? <ChevronDown size={13} /> : <ChevronRight size={13} />}
        </button>
      ) : (
        <i className="gap" />
      )}
      <i className="swatch" style={{ background: row.original.colour }} />
      <span>{row.original.name}</span>
    </span>
  );
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
    <span className="locks">
      {LOCKS.map(({ key, bit, name, Icon }) => {
        const have = row.islands.filter((i) => editor.document.control(i).flags & bit).length;
        const all = have > 0 && have === row.islands.length;
        return (
          <button
            key={key}
            type="button"
            data-have={all ? "all" : have ? "some" : undefined}
            aria-pressed={all}
            aria-label={`${name === "leave out" ? "Leave out" : `Lock ${name} of`} ${row.name}`}
            title={
              (name === "leave out" ? "leave out" : `lock ${name}`) +
              (have && !all ? ` (${have} of ${row.islands.length})` : "")
            }
            disabled={!row.islands.length || controlAction.busy}
            onClick={(e) => {
              e.stopPropagation();
              controlAction.run({ islands: row.islands, [key]: !all });
            }}
          >
            <Icon size={12} />
          </button>
        );
      })}
    </span>
  );
}

function WeightCell({ row }: { row: ObjectListRow }) {
  const memberAction = useAction("member");
  return (
    <input
      key={row.weight}
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
