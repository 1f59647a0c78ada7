import { create } from "zustand";

/** Keys of commands, by the commands' ids; each can be changed. Several for one command stand apart by spaces. */
const FIRST: Record<string, string> = {
  undo: "Ctrl+Z",
  redo: "Ctrl+Shift+Z Ctrl+Y",
  palette: "Ctrl+K",
  "main-button": "Ctrl+Enter",
  shortcuts: "?",
  "select-all": "Ctrl+A",
  "select-others": "Ctrl+I",
  "select-touching": "Ctrl+Shift+ArrowUp",
  "select-inner": "Ctrl+Shift+ArrowDown",
  "frame-selection": "F",
  "frame-table": "Home",
  "table-alone": "T",
  drafts: "D",
  steps: "H",
  "finding-next": "F3",
  "finding-before": "Shift+F3",
  "lock-place": "L",
  bundle: "B",
  "tool-move": "1",
  "tool-lasso": "2",
  "tool-brush": "3",
  "tool-pack-here": "4",
  "slide-down": "Ctrl+ArrowDown",
  "slide-up": "Ctrl+ArrowUp",
  "slide-left": "Ctrl+ArrowLeft",
  "slide-right": "Ctrl+ArrowRight",
  "fit-into-gaps": "I",
  "fit-into-gaps-here": "Shift+I",
  "make-room": "O",
  "shrink-to-fit": "U",
  "next-from-side-table": "N",
  "turn-left": "[",
  "turn-right": "]",
  "turn-half": "Shift+H",
  "upright-at-pointer": "Y",
  "mirror-across": "\\",
  "mirror-up": "|",
  "tile-right": "Alt+Shift+ArrowRight",
  "tile-left": "Alt+Shift+ArrowLeft",
  "tile-up": "Alt+Shift+ArrowUp",
  "tile-down": "Alt+Shift+ArrowDown",
  "note-place": "P",
  "lay-at-place": "Shift+P",
  "to-side-table": "Backspace",
  "pick-islands": "5",
  "pick-faces": "6",
  "pick-edges": "7",
  "pick-path": "8",
  "pick-vertices": "9",
  "go-to-gather": "Alt+1",
  "go-to-unwrap": "Alt+2",
  "go-to-even-out": "Alt+3",
  "go-to-arrange": "Alt+4",
  "go-to-merge": "Alt+5",
  "go-to-check": "Alt+6",
  "go-to-hand-off": "Alt+7",
};

const KEPT = "quilt-shortcuts";

type Pressed = Pick<KeyboardEvent, "key" | "code" | "ctrlKey" | "metaKey" | "altKey" | "shiftKey">;

/** A key with its modifiers in words; "" for a modifier alone. A sign that needs Shift stands for itself. */
export function keyOf(e: Pressed): string {
  if (["Control", "Shift", "Alt", "Meta", "AltGraph", "Dead"].includes(e.key)) return "";
  const letter = /^[a-z]$/i.test(e.key) || e.key.length > 1;
  const digit = e.altKey && /^Digit\d$/.test(e.code);
  const name = digit
    ? e.code.slice(5)
    : e.key === " "
      ? "Space"
      : e.key.length === 1
        ? e.key.toUpperCase()
        : e.key;
  return [
    e.ctrlKey || e.metaKey ? "Ctrl" : "",
    e.altKey ? "Alt" : "",
    e.shiftKey && letter ? "Shift" : "",
    name,
  ]
    .filter(Boolean)
    .join("+");
}

type Keys = {
  changed: Record<string, string>;
  set: (command: string, keys: string) => void;
  reset: () => void;
};

/** What the user has changed, kept in this browser. */
export const useKeys = create<Keys>((set, get) => ({
  changed: remembered(),
  set: (command, keys) => {
    const changed = { ...get().changed };
    // A key does one thing: whoever had it is without.
    for (const [other, own] of Object.entries(keysOf(changed)))
      if (other !== command && own.split(" ").includes(keys))
        changed[other] = own
          .split(" ")
          .filter((key) => key !== keys)
          .join(" ");
    changed[command] = keys;
    localStorage.setItem(KEPT, JSON.stringify(changed));
    set({ changed });
  },
  reset: () => {
    localStorage.removeItem(KEPT);
    set({ changed: {} });
  },
}));

/** Keys of all commands that have some. */
export const keysOf = (changed: Record<string, string>): Record<string, string> => ({
  ...FIRST,
  ...changed,
});

/** Keys of a command as they are shown. */
export const shownKeys = (keys: string): string =>
  keys
    .split(" ")
    .map((key) =>
      key
        .replace("ArrowDown", "↓")
        .replace("ArrowUp", "↑")
        .replace("ArrowLeft", "←")
        .replace("ArrowRight", "→"),
    )
    .join(" or ");

/** The command that a key stands for; undefined for none. */
export function commandFor(key: string, changed: Record<string, string>): string | undefined {
  if (!key) return undefined;
  return Object.entries(keysOf(changed)).find(([, keys]) => keys.split(" ").includes(key))?.[0];
}

function remembered(): Record<string, string> {
  try {
    const kept: unknown = JSON.parse(localStorage.getItem(KEPT) ?? "{}");
    return typeof kept === "object" && kept !== null
      ? Object.fromEntries(Object.entries(kept).filter(([, keys]) => typeof keys === "string"))
      : {};
  } catch {
    return {};
  }
}
