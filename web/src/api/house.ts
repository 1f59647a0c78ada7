import { useCallback, useRef } from "react";
import type { House } from "../editor/density/logScale";
import type { Editor } from "../editor/Editor";
import { useAction } from "./actions/act";

/** Keeps the house band: it is shown at once, and as it was where the server does not take it. */
export function useHouse(editor: Editor) {
  const { ask } = useAction("house");
  const kept = useRef<House | null>(null);
  /** Show another band, as while it is dragged. */
  const show = useCallback(
    (change: Partial<House>) => {
      kept.current ??= editor.view.houseBand;
      editor.setHouse(change);
    },
    [editor],
  );
  /** Keep what is shown. */
  const keep = useCallback(() => {
    const before = kept.current;
    kept.current = null;
    const now = editor.view.houseBand;
    if (!before || before === now) return;
    const changed = (key: keyof House) => before[key] !== now[key];
    ask({
      ...(changed("density") ? { house_density: now.density } : {}),
      ...(changed("tolerance") ? { tolerance: now.tolerance } : {}),
      ...(changed("least") ? { least_density: now.least } : {}),
      ...(changed("most") ? { most_density: now.most } : {}),
    }).catch(() => editor.setHouse(before));
  }, [ask, editor]);
  return { show, keep };
}
