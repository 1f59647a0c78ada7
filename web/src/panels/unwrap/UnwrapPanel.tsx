import { useAction } from "../../api/actions/act";
import { useEffect } from "react";
import { fetchBytes } from "../../api/client";
import { editor, useKept, useUi } from "../../state";
import { Pages, Running } from "../parts";
import type { PanelProps } from "../props";
import { LookAlikesPage } from "./LookAlikesPage";
import { EditPage } from "./EditPage";
import { AutomaticPage } from "./AutomaticPage";
import { SeamsPage } from "./SeamsPage";

const PAGES = ["Automatic", "Seams", "Edit", "Look-alikes"] as const;

/** Unwrap: layouts that are made or changed here. */
export function UnwrapPanel(props: PanelProps) {
  const { run: mutate } = useAction("edit");
  const [page, turn] = useKept<(typeof PAGES)[number]>("unwrap page", "Automatic");
  const [balance] = useKept("balance", 0.5);
  useEffect(() => {
    editor.picks.fetch = (object) => fetchBytes(`/api/objects/${object}/corners/`);
    editor.picks.onSaid = (what) => useUi.getState().tell({ kind: "done", what });
    editor.onEased = () => {
      const objects = editor.picks.sent().filter((own) => own.faces.length);
      if (objects.length)
        mutate({
          verb: "reduce stretch",
          objects: objects.map((own) => ({ ...own, edges: [], corners: [] })),
          balance,
          hold_border: true,
        });
    };
    editor.onCornersMoved = (by) =>
      mutate({ verb: "move vertices", objects: editor.picks.sent(), by: [...by] });
    return () => {
      editor.picks.onSaid = null;
      // Elsewhere islands are selected.
      editor.picks.use("islands");
      editor.onCornersMoved = null;
      editor.onEased = null;
      editor.picks.easing = false;
    };
  }, [mutate, balance]);
  return (
    <>
      <Pages label="Unwrapping" pages={PAGES} page={page} turn={turn} />
      {page === "Automatic" && <AutomaticPage {...props} />}
      {page === "Seams" && <SeamsPage {...props} />}
      {page === "Edit" && <EditPage {...props} />}
      {page === "Look-alikes" && <LookAlikesPage {...props} />}
      {page !== "Automatic" && <Running jobs={props.jobs} kind="edit" />}
    </>
  );
}
