import { create } from "zustand";

/** How maps of a test bake are looked at: which one, and how far the wipe on the sheet stands. */
export const useMapView = create<{
  map: string;
  share: number;
  show: (map: string) => void;
  wipe: (share: number) => void;
}>((set) => ({
  map: "",
  share: 1,
  show: (map) => set({ map }),
  wipe: (share) => set({ share: Math.min(1, Math.max(0, share)) }),
}));
