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
    const { density, tolerance, least, most } = editor.view.houseBand;
    ask({
      house_density: density,
      tolerance,
      least_density: least,
      most_density: most,
    }).catch(() => before && editor.setHouse(before));
  }, [ask, editor]);
  return { show, keep };
}
