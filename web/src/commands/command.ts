import type { Bounds } from "../editor/affine/affine";
import type { Editor } from "../editor/Editor";

/** Something that can be done, in the palette, in menus, on buttons and by keys. */
export type Command = {
  /** What it is called in saved keys: never its label. */
  id: string;
  label: string;
  group: string;
  hint?: string;
  /** Why it cannot be done now; "" when it can. */
  lacks: string;
  on?: boolean;
  /** Shown only when it is asked for by name, after what can be done. */
  aside?: boolean;
  run: () => void;
};

/** A condition of a command, and what is told where it does not hold. */
export type Need = [holds: boolean, reason: string];

/** The first reason that a command cannot be done; "" when it can. */
export const lacking = (...needs: Need[]): string => needs.find(([holds]) => !holds)?.[1] ?? "";

export const SELECT_FIRST = "Select islands first.";
export const IN_HAND = "Islands are moved in the stage Arrange.";
export const EMPTY = "There are no islands yet: bring files in.";
export const UNDER_WAY = "The one before is still under way.";

/** What moving the selected islands needs. */
export const movable = (editor: Editor): Need[] => [
  [editor.handsOn, IN_HAND],
  [editor.frame !== null, SELECT_FIRST],
];

export const middleOf = (b: Bounds): [number, number] => [
  (b.minX + b.maxX) / 2,
  (b.minY + b.maxY) / 2,
];
