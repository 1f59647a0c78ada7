import type { Acting } from "../api/actions/act";
import type { Editor } from "../editor/Editor";
import type { Command } from "./command";
import { goCommands } from "./go";
import { roomCommands } from "./room";
import { rowCommands } from "./row";
import { turnCommands } from "./turn";

/** What can be done by hand to the selected islands, in one step each. */
export function handCommands(editor: Editor, acting: Acting): Command[] {
  return [
    ...turnCommands(editor),
    ...roomCommands(editor, acting),
    ...rowCommands(editor, acting),
    ...goCommands(editor),
  ];
}
