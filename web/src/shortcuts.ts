import { create } from "zustand";

/** Keys of commands, by the commands' names; each can be changed. Several for one command stand apart by spaces. */
const FIRST: Record<string, string> = {
  Undo: "Ctrl+Z",
  Redo: "Ctrl+Shift+Z Ctrl+Y",
  Commands: "Ctrl+K",
  Shortcuts: "?",
  "Select all islands": "Ctrl+A",
  "Select all but these": "Ctrl+I",
  "Grow to what touches": "Ctrl+Shift+ArrowUp",
  "Shrink from the rim": "Ctrl+Shift+ArrowDown",
  "Show what is selected": "F",
  "Show the whole table": "Home",
  "The table alone": "T",
  Drafts: "D",
  "All steps": "H",
  "Next finding": "F3",
  "Finding before": "Shift+F3",
  "Lock place": "L",
  Bundle: "B",
  Move: "1",
  Lasso: "2",
  Brush: "3",
  "Pack here": "4",
  "Slide down to contact": "Ctrl+ArrowDown",
  "Slide up to contact": "Ctrl+ArrowUp",
  "Slide left to contact": "Ctrl+ArrowLeft",
  "Slide right to contact": "Ctrl+ArrowRight",
  "Fit into gaps": "I",
  "Fit into gaps at the pointer": "Shift+I",
  "Make room": "O",
  "Shrink to fit the gaps": "U",
  "Next from side table": "N",
  "Quarter turn to the left": "[",
  "Quarter turn to the right": "]",
  "Half turn": "Shift+H",
  "Upright by the edge at the pointer": "Y",
  "Mirror left and right": "\\",
  "Mirror up and down": "|",
  "One whole tile right": "Alt+Shift+ArrowRight",
  "One whole tile left": "Alt+Shift+ArrowLeft",
  "One whole tile up": "Alt+Shift+ArrowUp",
  "One whole tile down": "Alt+Shift+ArrowDown",
  "Note the place": "P",
  "Lay at the noted place": "Shift+P",
  "To the side table": "Backspace",
  "Select islands": "5",
  "Select faces": "6",
  "Select edges": "7",
  "Select path": "8",
  "Select vertices": "9",
  "Go to Gather": "Alt+1",
  "Go to Unwrap": "Alt+2",
  "Go to Even out": "Alt+3",
  "Go to Arrange": "Alt+4",
  "Go to Merge": "Alt+5",
  "Go to Check": "Alt+6",
  "Go to Hand off": "Alt+7",
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
