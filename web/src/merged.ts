import { create } from "zustand";

/** How merged textures are looked at: which role lies on the sheet, and how far the wipe stands. */
export const useMergedView = create<{
  role: string;
  share: number;
  show: (role: string) => void;
  wipe: (share: number) => void;
}>((set) => ({
  role: "",
  share: 1,
  show: (role) => set({ role }),
  wipe: (share) => set({ share: Math.min(1, Math.max(0, share)) }),
}));
