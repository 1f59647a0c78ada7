import { create } from "zustand";
import type { Stage } from "./state";

export type ModelPlace = "docked" | "floating" | "away";

/** Corners of the table that the floating model can lie in, in the order in which it goes round. */
export const CORNERS = ["bottom left", "top left", "top right", "bottom right"] as const;
export type Corner = (typeof CORNERS)[number];

/** How the room is divided: what is open, and how large. */
export type Room = {
  panel: boolean;
  panelWidth: number;
  model: ModelPlace;
  modelWidth: number;
  corner: Corner;
  objectList: boolean;
  objectListHeight: number;
};

/** Least and most px of each size. */
export const LIMITS = {
  panelWidth: [200, 420],
  modelWidth: [220, 760],
  objectListHeight: [96, 520],
} as const;
export type Size = keyof typeof LIMITS;

/** Kinds of stages that divide the room alike. */
export type Kind = "table" | "unwrap" | "merge" | "rest";

/** Arrange belongs to the table: the model floats in a corner, the object list is a strip. */
const ROOMS: Record<Kind, Room> = {
  table: {
    panel: true,
    panelWidth: 250,
    model: "floating",
    modelWidth: 330,
    corner: "bottom left",
    objectList: false,
    objectListHeight: 222,
  },
  // Model and table are equal.
  unwrap: {
    panel: true,
    panelWidth: 250,
    model: "docked",
    modelWidth: 500,
    corner: "bottom left",
    objectList: false,
    objectListHeight: 222,
  },
  // The shelf lies beside the table, the model in a corner of it.
  merge: {
    panel: true,
    panelWidth: 262,
    model: "floating",
    modelWidth: 330,
    corner: "bottom right",
    objectList: false,
    objectListHeight: 222,
  },
  rest: {
    panel: true,
    panelWidth: 250,
    model: "docked",
    modelWidth: 330,
    corner: "bottom left",
    objectList: true,
    objectListHeight: 222,
  },
};
const KEY = "quilt-room";

type Rooms = Record<Kind, Room> & {
  alone: boolean;
  change: (stage: Stage, change: Partial<Room>) => void;
  resize: (stage: Stage, size: Size, px: number) => void;
  giveAll: () => void;
};

/** Sizes are remembered, apart for Arrange and for the other stages. */
export const useRooms = create<Rooms>((set, get) => ({
  ...remembered(),
  alone: false,
  change: (stage, change) => {
    const kind = kindOf(stage);
    set({ [kind]: { ...get()[kind], ...change }, alone: false });
    const { table, unwrap, merge, rest } = get();
    localStorage.setItem(KEY, JSON.stringify({ table, unwrap, merge, rest }));
  },
  resize: (stage, size, px) =>
    get().change(stage, {
      [size]: Math.round(Math.min(LIMITS[size][1], Math.max(LIMITS[size][0], px))),
    }),
  giveAll: () => set({ alone: !get().alone }),
}));

const kindOf = (stage: Stage): Kind =>
  stage === "Arrange"
    ? "table"
    : stage === "Unwrap"
      ? "unwrap"
      : stage === "Merge"
        ? "merge"
        : "rest";

/** The room of a stage; with the table alone all else is folded. */
function roomOf(rooms: Pick<Rooms, Kind | "alone">, stage: Stage): Room {
  const room = rooms[kindOf(stage)];
  return rooms.alone ? { ...room, panel: false, model: "away", objectList: false } : room;
}

export function useRoom(stage: Stage): Room {
  const rooms = useRooms();
  return roomOf(rooms, stage);
}

/** px from the foot of the window to where the table ends. */
export const footOf = (room: Room): number => (room.objectList ? room.objectListHeight + 10 : 38);

function remembered(): Record<Kind, Room> {
  try {
    const kept = JSON.parse(localStorage.getItem(KEY) ?? "{}") as Partial<
      Record<Kind, Partial<Room>>
    >;
    return {
      table: { ...ROOMS.table, ...kept.table },
      unwrap: { ...ROOMS.unwrap, ...kept.unwrap },
      merge: { ...ROOMS.merge, ...kept.merge },
      rest: { ...ROOMS.rest, ...kept.rest },
    };
  } catch {
    return ROOMS;
  }
}
