import type { Acting } from "../api/actions/act";
import type { Atlas, Project } from "../api/client";
import type { Editor } from "../editor/Editor";
import type { Command } from "./command";
import { handCommands } from "./hand";
import { islandCommands } from "./island";
import { objectCommands } from "./object";

/** Of what is done by hand that which stands in the menu too, in its order there. */
const BY_HAND = [
  "turn-left",
  "turn-right",
  "mirror-across",
  "mirror-up",
  "upright-each",
  "tile-left",
  "tile-right",
  "row-across",
  "row-up",
  "swap-places",
  "continue-across",
  "make-room",
  "make-room-aside",
  "to-side-table",
];

/** What can be done with the selected islands, for the menu at the pointer: on the table and in the object list. */
export function menuCommands(
  editor: Editor,
  acting: Acting,
  project: Project,
  atlas: Atlas,
): Command[] {
  const byHand = new Map(handCommands(editor, acting).map((command) => [command.id, command]));
  return [
    ...BY_HAND.flatMap((id) => byHand.get(id) ?? []),
    ...islandCommands(editor, acting),
    ...objectCommands(editor, acting, project, atlas),
  ];
}
