import type { BodyOf } from "../api/actions/requests";
import type { Finding } from "../api/client";

/**
 * Small drawings of what a tool, an edit or a finding is, as pieces of patchwork on a field of 20 by 20.
 *
 * Each is one state, or the states before and after. A part is a letter and an SVG path:
 * o a piece of cloth, h a piece that it is about, s a stitched line, t a thin line, b a bold edge, p a vertex, x what is wrong.
 */
type States = readonly [string] | readonly [string, string];

const BY_HAND: Record<string, States> = {
  "tool-move": ["o M6.5 6.5H13.5V13.5H6.5Z; t M10 1V4M10 16V19M1 10H4M16 10H19"],
  "tool-lasso": ["s M10 3C17 2 19 8 16 11C12 15 4 15 3 10C2 6 5 3 10 3; t M6 14L5 19"],
  "tool-brush": ["h M5 12H9V16H5Z; h M11 5H15V9H11Z; s M1 18Q8 15 10 10T19 2"],
  "tool-pack-here": ["s M2 2H18V18H2Z; o M4 11H9V16H4Z; h M11 6H16V16H11Z; t M4 4L8 8M8 5V8H5"],
  "slide-down": ["t M2 18.5H18; o M5 10H15V17.5H5Z; t M10 2V7.5M7.5 5L10 7.5L12.5 5"],
  "fit-into-gaps": ["o M2 18V7H7V13H13V7H18V18Z; h M8 1.5H12V8H8Z; t M10 8.5V11.5"],
  "make-room": ["o M1 5H5V15H1Z; o M15 5H19V15H15Z; h M7 5H13V15H7Z; t M6 18H1M14 18H19"],
  "next-from-side-table": ["s M1 3H7V17H1Z; o M12 4H19V16H12Z; t M4 10H14M12 8L14 10L12 12"],
  "shrink-to-fit": [
    "s M2 2H18V18H2Z; o M6.5 6.5H13.5V13.5H6.5Z; t M3 3L5.5 5.5M17 3L14.5 5.5M3 17L5.5 14.5M17 17L14.5 14.5",
  ],
  "turn-left": ["o M6 9H14V18H6Z; t M16 8A7 7 0 0 0 5 5M7.5 3.5L4.5 5L6 8"],
  "turn-right": ["o M6 9H14V18H6Z; t M4 8A7 7 0 0 1 15 5M12.5 3.5L15.5 5L14 8"],
  "turn-half": ["o M7 7H13V13H7Z; t M3 12A7.5 7.5 0 0 1 15 4M17 8A7.5 7.5 0 0 1 5 16"],
  "mirror-across": ["o M8 4L2 16H8Z; h M12 4L18 16H12Z; s M10 2V18"],
  "mirror-up": ["o M4 8L16 2V8Z; h M4 12L16 18V12Z; s M2 10H18"],
  "upright-each": ["o M7 2L17 7L12 17L3 12Z", "o M4 4H15V16H4Z"],
  "swap-places": [
    "o M1 6H7V14H1Z; h M13 6H19V14H13Z; t M5 3H15M13 1.5L15 3L13 4.5M15 17H5M7 15.5L5 17L7 18.5",
  ],
  "to-side-table": ["s M1 3H7V17H1Z; o M12 4H19V16H12Z; t M15 10H5M7 8L5 10L7 12"],
  stack: ["o M2 2H9V9H2Z; o M11 11H18V18H11Z", "o M4 4H12V12H4Z; h M7 7H15V15H7Z"],
  bundle: ["o M2 4H8V10H2Z; o M11 9H17V16H11Z; s M1 2H19V18H1Z"],
};

const EDITS: Record<Exclude<BodyOf<"edit">["verb"], "unwrap along" | "move vertices">, States> = {
  cut: ["o M3 3H17V17H3Z; b M10 3V17", "o M1.5 3H8V17H1.5Z; o M12 3H18.5V17H12Z"],
  "split off": ["o M3 3H17V17H3Z; h M9 3H17V10H9Z", "o M2 5H8V11H15V18H2Z; h M11 1H19V8H11Z"],
  "unpick vertex": [
    "o M3 3H17V17H3Z; s M3 3L17 17M17 3L3 17; p M10 10h0",
    "o M3 3H17L10.5 9H17V11H10.5L17 17H3Z; s M3 3L10 10L3 17; p M10 10h0",
  ],
  join: [
    "o M1.5 3H8V17H1.5Z; o M12 3H18.5V17H12Z; b M8 3V17M12 3V17",
    "o M3 3H17V17H3Z; s M10 3V17",
  ],
  "cut folds": ["o M2 3H14V17H2Z; x M14 3L7 10L14 17Z", "o M1.5 3H10V17H1.5Z; h M13 5H18.5V15H13Z"],
  "fewer islands": [
    "o M2 2H9V9H2Z; o M11 2H18V9H11Z; o M2 11H9V18H2Z; o M11 11H18V18H11Z",
    "o M3 3H17V17H3Z; s M10 3V17M3 10H17",
  ],
  "reduce stretch": [
    "o M3 2L18 5L13 18L5 14Z; t M10.5 3.5L9 16M4 8L15.5 11.5",
    "o M3 3H17V17H3Z; t M10 3V17M3 10H17",
  ],
  straighten: ["o M2 16Q5 2 18 3L17.5 8Q9 8 7 17Z", "o M1.5 7H18.5V13H1.5Z; t M7 7V13M13 7V13"],
  symmetrize: ["o M10 2L18 9L13 18H6L4 8Z; s M10 1V19", "o M10 2L17 8L14 18H6L3 8Z; s M10 1V19"],
  level: ["o M3 10L17 4V17H3Z; b M3 10L17 4", "o M3 6H17V17H3Z; b M3 6H17"],
  upright: ["o M3 3H11L17 17H3Z; b M11 3L17 17", "o M3 3H15V17H3Z; b M15 3V17"],
  round: [
    "o M4 6L11 2L18 8L15 17L6 18L2 12Z; b M4 6L11 2L18 8L15 17L6 18L2 12Z",
    "o M10 2.5a7.5 7.5 0 1 0 .01 0Z; b M10 2.5a7.5 7.5 0 1 0 .01 0Z",
  ],
  project: ["o M2 6L9 2L18 5L11 9Z; s M2 7V17M11 10V19M18 6V15", "o M3 5H17V15H3Z"],
  "line up vertices": [
    "p M3 6h0; p M8 14h0; p M12 7h0; p M17 13h0",
    "s M1 10H19; p M3 10h0; p M8 10h0; p M12 10h0; p M17 10h0",
  ],
  "close near seams": [
    "o M2 3H9V17H2Z; o M11 3H18V17H11Z; t M6 1.5H9M14 1.5H11",
    "o M3 3H17V17H3Z; s M10 3V17",
  ],
  "merge tiny islands": [
    "o M2 3H12V17H2Z; h M15 8.5H18V11.5H15Z",
    "o M3 3H14V17H3Z; h M14 8.5H17V11.5H14Z",
  ],
  weld: [
    "t M2 3L8 10L2 17M18 3L12 10L18 17; p M8 10h0; p M12 10h0",
    "t M2 3L10 10L2 17M18 3L10 10L18 17; p M10 10h0",
  ],
};

const FINDINGS: Record<Finding["kind"], States> = {
  overlap: ["o M2 2H12V12H2Z; o M8 8H18V18H8Z; x M8 8H12V12H8Z"],
  fold: ["o M3 3H15V17H3Z; x M15 3L7 10L15 17Z"],
  "two-sided": ["o M3 3H14V14H3Z; s M6 6H17V17H6Z"],
  "loose stack": ["o M2 2H12V12H2Z; s M7 8H17V18H7Z; x M12 12L7 8"],
  crowded: ["o M3 3H17V17H3Z; t M3 3L17 17M17 3L3 17M10 3V17M3 10H17; x M8 8H12V12H8Z"],
  gap: ["o M2 4H8.5V16H2Z; o M11.5 4H18V16H11.5Z; x M10 2V18"],
  margin: ["t M1.5 1V19; o M5 5H17V15H5Z; x M3.2 3V17"],
  straddling: ["t M10 1V19; o M4 6H10V14H4Z; x M10 6H16V14H10Z"],
  outside: ["t M1 8H10V19H1Z; x M13 2H19V8H13Z"],
  "far away": ["t M1 13H6V19H1Z; s M7 12L14 6; x M15 1H19V5H15Z"],
  parked: ["t M1 4H10V16H1ZM10 4H19V16H10Z; o M3 7H8V13H3Z; s M12 7H17V13H12Z"],
  "side table": ["s M1 2H8V18H1Z; x M3 6H6V13H3Z; t M11 4H19V16H11Z"],
  mirrored: ["x M13 3V17M13 3H9.5A3.5 3.5 0 0 0 9.5 10H13M10 10L6 17"],
  "turned faces": ["o M3 3H17V17H3Z; x M3 17L10 9L17 17Z"],
  collapsed: ["o M3 2H17V9H3Z; t M10 10V13; x M3 16H17"],
  tiny: ["t M2 2H18V18H2ZM10 2V18M2 10H18; x M12.5 4V8"],
  "near seam": ["o M2 3H9.2V17H2Z; o M10.8 3H18V17H10.8Z; x M10 7V13"],
  "no surface": ["x M2 15L18 5; p M2 15h0; p M18 5h0"],
  sliver: ["x M1 12L19 9L19 10.5Z"],
  broken: ["o M3 3H17V17H3Z; x M7 7L13 13M13 7L7 13"],
  "without UVs": ["s M3 3H17V17H3Z; x M7.5 8A2.5 2.5 0 1 1 10 10.5V12.5M10 15V15.1"],
  "duplicate faces": ["o M3 3H15L9 14Z; x M5 6H17L11 17Z"],
  "duplicate vertices": ["t M2 3L9 10L2 17M18 3L11 10L18 17; x M9 10h0M11 10h0M10 6V14"],
  "non-manifold": ["o M2 8H10V18H2Z; o M10 8H18V18H10Z; x M10 8L14 1M10 8V18"],
  winding: ["o M2 4H10V16H2Z; x M10 4H18V16H10ZM14 7V13M12 9L14 7L16 9; t M6 13V7"],
  hole: ["o M2 2H18V18H2Z; x M7 7H13V13H7Z"],
  "loose vertices": ["o M2 6L11 3L10 16Z; x M16 5h0M15 11h0M17 16h0"],
  "uneven scale": [
    "o M5 5H11V11H5Z; x M4 17H18M16 15L18 17L16 19; t M16 4V11M14.5 5.5L16 4L17.5 5.5",
  ],
  "odd size": ["o M2 14H5V17H2Z; o M6 14H9V17H6Z; x M10 2H18V17H10Z"],
  stretch: [
    "o M1 7H19V13H1Z; t M7 7V13M13 7V13; x M4 17H16M6 15.5L4 17L6 18.5M14 15.5L16 17L14 18.5",
  ],
  "below density": ["o M3 3H17V17H3Z; x M10 3V17M3 10H17"],
  "over-detailed": ["o M3 3H17V17H3Z; x M6 3V17M10 3V17M14 3V17M3 6H17M3 10H17M3 14H17"],
  "hard edge": ["o M2 4H10V16H2Z; h M10 4H18V16H10Z; x M10 4V16"],
  "smooth border": ["o M2 4H8V16H2Z; o M12 4H18V16H12Z; x M8 10Q10 7 12 10"],
  "material gap": ["o M2 4H9V16H2Z; h M11 4H18V16H11Z; x M10 2V18"],
  "shared block": ["o M1 3H8V17H1Z; h M12 3H19V17H12Z; t M6 6H14V14H6Z; x M8 10H12"],
  "mixed materials": ["o M3 3H17V17H3Z; h M10 3H17V17H10Z; x M6 10H14"],
  "missed rays": ["t M2 16H18; x M10 16V3M7.5 5.5L10 3L12.5 5.5"],
  "back hit": ["t M2 16H18; o M5 5H15V8H5Z; x M10 16V8M7.5 10.5L10 8L12.5 10.5"],
  "other part": ["o M2 12H9V18H2Z; h M11 2H18V8H11Z; x M6 12L12 7"],
  skewed: ["o M6 3H18L14 17H2Z; x M10 3L8 17"],
  "visible seam": ["o M3 3H17V17H3Z; x M10 3L8.5 7L11.5 11L9 17"],
  bled: ["o M2 4H9V16H2Z; h M11 4H18V16H11Z; x M7 10H13"],
  "no samples": [
    "t M3 3h0M10 3h0M17 3h0M3 10h0M10 10h0M17 10h0M3 17h0M10 17h0M17 17h0; x M5 5H8V8H5Z",
  ],
};

/** By id of a command, verb of an edit, kind of a finding. */
export const DRAWINGS: Record<string, States> = { ...BY_HAND, ...EDITS, ...FINDINGS };
