import { useEffect } from "react";
import { fetchBytes } from "../../api/client";
import { editor, useKept } from "../../state";
import { Pages, Running } from "../parts";
import type { SlipProps } from "../props";
import { AlikePage } from "./AlikePage";
import { EditPage } from "./EditPage";
import { FlattenPage } from "./FlattenPage";
import { SeamsPage } from "./SeamsPage";

const PAGES = ["Flatten", "Seams", "Edit", "Alike"] as const;

/** Mend: layouts that are made or changed here. */
export function MendSlip(props: SlipProps) {
  const [page, turn] = useKept<(typeof PAGES)[number]>("mend page", "Flatten");
  const { mutate } = props.actions.edit;
  useEffect(() => {
    editor.picks.fetch = (object) => fetchBytes(`/api/objects/${object}/corners/`);
    editor.onCornersMoved = (by) => mutate({ verb: "move corners", objects: editor.picks.sent(), by: [...by] });
    return () => {
      // Elsewhere islands are picked.
      editor.picks.use("islands");
      editor.onCornersMoved = null;
    };
  }, [mutate]);
  return (
    <>
      <Pages label="Mending" pages={PAGES} page={page} turn={turn} />
      {page === "Flatten" && <FlattenPage {...props} />}
      {page === "Seams" && <SeamsPage {...props} />}
      {page === "Edit" && <EditPage {...props} />}
      {page === "Alike" && <AlikePage {...props} />}
      {page !== "Flatten" && <Running jobs={props.jobs} kind="edit" actions={props.actions} />}
    </>
  );
}
