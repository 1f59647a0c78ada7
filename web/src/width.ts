import { useSyncExternalStore } from "react";

/** Narrower than this the model never stands beside the table, and the stages are one list. */
const NARROW = "(max-width: 999px)";
/** Narrower than this panel, table, model and object list are pages. */
const PAGES = "(max-width: 759px)";

const useMedia = (query: string) =>
  useSyncExternalStore(
    (heard) => {
      const media = matchMedia(query);
      media.addEventListener("change", heard);
      return () => media.removeEventListener("change", heard);
    },
    () => matchMedia(query).matches,
  );

/** How much of the room stands side by side: in a small window, or in a large one that is zoomed. */
export function useWidth(): "wide" | "narrow" | "pages" {
  const narrow = useMedia(NARROW);
  const pages = useMedia(PAGES);
  return pages ? "pages" : narrow ? "narrow" : "wide";
}
