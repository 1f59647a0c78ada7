import { useMemo } from "react";
import { create } from "zustand";
import type { Explained } from "./api/client";
import { Editor } from "./editor/Editor";

export const STAGES = [
  "Gather",
  "Unwrap",
  "Even out",
  "Arrange",
  "Merge",
  "Check",
  "Hand off",
] as const;
export type Stage = (typeof STAGES)[number];

type Notice = {
  kind: "error" | "done";
  what: string;
  where?: string;
  fix?: string;
  changed?: boolean;
};

type Ui = {
  stage: Stage;
  theme: "paper" | "night";
  notice: Notice | null;
  help: boolean;
  /** The command palette and the contact sheet of drafts. */
  palette: boolean;
  drafts: boolean;
  /** The list of steps. */
  steps: boolean;
  /** The atlas whose tab is given a name. */
  naming: number | null;
  nameAtlas: (atlas: number | null) => void;
  /** The atlas on the table; none is the first. */
  atlas: number | null;
  goToAtlas: (atlas: number | null) => void;
  /** What the object list is searched for. */
  filter: string;
  setFilter: (filter: string) => void;
  setStage: (stage: Stage) => void;
  toggleTheme: () => void;
  tell: (notice: Notice | null) => void;
  setHelp: (help: boolean) => void;
  setPalette: (palette: boolean) => void;
  setDrafts: (drafts: boolean) => void;
  setSteps: (steps: boolean) => void;
};

const storedTheme = () => (localStorage.getItem("quilt-theme") === "night" ? "night" : "paper");

export const useUi = create<Ui>((set, get) => ({
  stage: "Arrange",
  theme: storedTheme(),
  notice: null,
  help: false,
  palette: false,
  drafts: false,
  steps: false,
  naming: null,
  nameAtlas: (naming) => set({ naming }),
  atlas: null,
  goToAtlas: (atlas) => {
    if (atlas !== get().atlas) editor.select((selection) => selection.clear());
    set({ atlas });
  },
  filter: "",
  setFilter: (filter) => set({ filter }),
  setStage: (stage) => set({ stage }),
  toggleTheme: () => {
    localStorage.setItem("quilt-theme", get().theme === "paper" ? "night" : "paper");
    set({ theme: storedTheme() });
    applyTheme();
  },
  tell: (notice) => set({ notice }),
  setHelp: (help) => set({ help }),
  setPalette: (palette) => set({ palette }),
  setDrafts: (drafts) => set({ drafts }),
  setSteps: (steps) => set({ steps }),
}));

export function applyTheme(): void {
  const night = storedTheme() === "night";
  document.documentElement.classList.toggle("dark", night);
  document.documentElement.classList.toggle("light", !night);
}

export function tellError(error: unknown): void {
  const told = error as Partial<Explained> & Error;
  useUi
    .getState()
    .tell({ kind: "error", what: told.what ?? told.message, where: told.where, fix: told.fix });
}

/** The one editor of this page. */
export const editor = new Editor();

/** The next name for an atlas: props A, props B and so on. */
export function nextName(atlases: { name: string }[]): string {
  const taken = new Set(atlases.map((atlas) => atlas.name));
  for (let k = 0; ; k++) {
    const name = `props ${k < 26 ? String.fromCharCode(65 + k) : k + 1}`;
    if (!taken.has(name)) return name;
  }
}

const kept = create<Record<string, unknown>>(() => ({}));

const isTable = (value: unknown): value is object =>
  typeof value === "object" && value !== null && !Array.isArray(value);

/** Set what `useKept` keeps, from elsewhere. */
export const keep = (key: string, value: unknown): void => kept.setState({ [key]: value });

/** Like useState, but the value is still there when the panel comes back. */
export function useKept<T>(key: string, initial: T): [T, (value: T) => void] {
  const found = kept((all) => (key in all ? (all[key] as T) : initial));
  // What was kept before a setting was there has it as usual.
  const value = useMemo(
    () => (isTable(found) && isTable(initial) ? { ...initial, ...found } : found),
    [found], // eslint-disable-line react-hooks/exhaustive-deps
  );
  return [value, (next) => kept.setState({ [key]: next })];
}
