import { create } from "zustand";
import type { Draft } from "./api/client";
import { editor } from "./state";

export type View = "table" | "model";

type Looked = {
  /** The try that is shown instead of the layout; null for none. */
  draft: Draft | null;
  /** Images of the layout as it was shown before, where the view has not moved since. */
  before: Partial<Record<View, string>>;
  /** How much of each view shows the layout before. */
  share: number;
  look: (draft: Draft) => void;
  setShare: (share: number) => void;
  /** The view moved: its image fits no more. */
  moved: (view: View) => void;
  end: () => void;
};

/** A try shown on the table and the model in place of the layout, with a wipe between the two. */
export const useLooked = create<Looked>((set, get) => ({
  draft: null,
  before: {},
  share: 0.5,
  look: (draft) => {
    editor.picks.use("islands");
    const shot = (view: View) => editor.images.get(view)?.();
    // Both are seen from the same place.
    editor.followsNews = false;
    set({
      draft,
      before: get().draft ? get().before : { table: shot("table"), model: shot("model") },
    });
  },
  setShare: (share) => set({ share }),
  moved: (view) => {
    if (get().before[view]) set({ before: { ...get().before, [view]: undefined } });
  },
  end: () => {
    editor.followsNews = true;
    set({ draft: null, before: {} });
  },
}));
