import type { Operation } from "../api/client";
import { named } from "../panels/MoreOptions";
import { keep, useUi, type Stage } from "../state";
import type { Command } from "./command";

/** Where the settings of an operation stand: its stage, and the page there as it is kept. */
type Home = { stage: Stage; page?: [key: string, name: string]; unfold?: string };
const HOMES: Record<string, Home> = {
  inspect: { stage: "Gather" },
  gather: { stage: "Gather" },
  update: { stage: "Gather" },
  channels: { stage: "Hand off", page: ["hand off part", "Files"] },
  unwrap: {
    stage: "Unwrap",
    page: ["unwrap page", "Automatic"],
    unfold: "more unwrap open",
  },
  edit: { stage: "Unwrap", page: ["unwrap page", "Edit"] },
  "copy-layout": { stage: "Unwrap", page: ["unwrap page", "Look-alikes"] },
  "even-out": { stage: "Even out", page: ["even out part", "Density"] },
  visibility: {
    stage: "Even out",
    page: ["even out part", "Visibility"],
    unfold: "more visibility open",
  },
  detail: {
    stage: "Even out",
    page: ["even out part", "Detail"],
    unfold: "more detail open",
  },
  pack: { stage: "Arrange", page: ["arrange part", "Pack"], unfold: "pack more" },
  plan: { stage: "Arrange", page: ["arrange part", "Plan"] },
  stacks: { stage: "Arrange", page: ["arrange part", "Stacks"] },
  move: { stage: "Arrange" },
  "slide-to-contact": { stage: "Arrange" },
  "make-room": { stage: "Arrange" },
  "continue-across": { stage: "Arrange" },
  "in-order": { stage: "Arrange" },
  "fit-into-gaps": { stage: "Arrange" },
  "pack-here": { stage: "Arrange" },
  "shrink-to-fit": { stage: "Arrange" },
  limit: { stage: "Arrange", page: ["arrange part", "Pack"] },
  merge: { stage: "Merge", unfold: "merge more" },
  bake: { stage: "Check", page: ["check part", "Test bake"] },
  check: { stage: "Check", page: ["check part", "Rules"] },
  report: { stage: "Check", page: ["check part", "Report"] },
};
const ELSEWHERE: Home = { stage: "Hand off" };

/** Which settings have a field of their own in the room; of the others those that stand under More. */
const SHOWN_IN_ROOM = new Set(["unwrap", "even-out", "visibility", "pack", "merge", "bake"]);

const homeOf = (operation: string): Home => HOMES[operation] ?? ELSEWHERE;

function goTo(home: Home): void {
  if (home.page) keep(...home.page);
  if (home.unfold) keep(home.unfold, true);
  useUi.getState().setStage(home.stage);
}

const FOCUSED = "input, select, button, [tabindex]";
const TRIES = 40;

/** The field of a setting in the panel: one that says so, else the one with that label. */
function fieldOf(name: string): HTMLElement | null {
  const panel = document.querySelector("section[aria-label=Task]");
  const own = panel?.querySelector<HTMLElement>(`[data-setting="${name}"]`);
  if (own) return own.querySelector<HTMLElement>(FOCUSED);
  const said = named(name).toLowerCase();
  for (const label of panel?.querySelectorAll<HTMLElement>("label, [aria-label]") ?? []) {
    const text = (label.getAttribute("aria-label") ?? label.textContent ?? "").trim().toLowerCase();
    if (text !== said && !text.startsWith(`${said},`)) continue;
    const target = label instanceof HTMLLabelElement ? label.control : null;
    return target ?? label.querySelector<HTMLElement>(FOCUSED) ?? label;
  }
  return null;
}

/** Go to where a setting stands, and put the focus on it once it is there. */
function goToSetting(home: Home, name: string): void {
  goTo(home);
  let tries = 0;
  const look = () => {
    const field = fieldOf(name);
    if (!field) {
      if (tries++ < TRIES) window.setTimeout(look, 50);
      return;
    }
    field.scrollIntoView({ block: "center" });
    field.focus();
  };
  window.setTimeout(look, 50);
}

/** A command for each operation: it leads to its settings, by its trade words too. */
export const operationCommands = (operations: Operation[]): Command[] =>
  operations.map((operation) => {
    const words = operation.name.replace(/-/g, " ");
    return {
      id: `operation-${operation.name}`,
      label: `${words.charAt(0).toUpperCase()}${words.slice(1)}…`,
      group: homeOf(operation.name).stage,
      hint: operation.help,
      lacks: "",
      run: () => goTo(homeOf(operation.name)),
    };
  });

/** Settings of a project and its tiles, by their labels. */
const PROJECT_SETTINGS: [id: string, label: string, hint: string, home: Home][] = [
  [
    "house-density",
    "House density",
    "texels per metre that everything is held against",
    HOMES["even-out"],
  ],
  ["tolerance", "Tolerance", "how far an island may be from it", HOMES["even-out"]],
  [
    "tiles",
    "Width of tile 1001",
    "sizes of tiles, and how many there are",
    { stage: "Arrange", page: ["arrange part", "Tiles"] },
  ],
];

/** A command for each setting: it leads to its field. */
export const settingCommands = (operations: Operation[]): Command[] => [
  ...PROJECT_SETTINGS.map(([id, label, hint, home]) => ({
    id: `setting-${id}`,
    label,
    group: home.stage,
    hint,
    lacks: "",
    aside: true,
    run: () => goToSetting(home, label),
  })),
  ...operations
    .filter((operation) => SHOWN_IN_ROOM.has(operation.name))
    .flatMap((operation) =>
      operation.options
        .filter((option) => !option.passing)
        .map((option) => ({
          id: `setting-${operation.name}-${option.name}`,
          label: `${named(option.name)} of ${operation.name.replace(/-/g, " ")}`,
          group: homeOf(operation.name).stage,
          hint: option.help,
          lacks: "",
          aside: true,
          run: () => goToSetting(homeOf(operation.name), option.name),
        })),
    ),
];
