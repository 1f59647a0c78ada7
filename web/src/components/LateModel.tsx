import { Box } from "@chakra-ui/react";
import { lazy, Suspense, useEffect, useState } from "react";
import { useEditor } from "../api/hooks";
import type { ModelView } from "./ModelView";

const Model = lazy(() => import("./ModelView").then((file) => ({ default: file.ModelView })));

/** Whether the table was drawn once: from then on the model comes at once wherever it is put. */
let drawn = false;

/** The model, once the table is drawn: the drawing libraries of the model keep nobody waiting for the table. */
export function LateModel(props: Parameters<typeof ModelView>[0]) {
  const { document } = useEditor("document");
  const [ready, setReady] = useState(drawn);
  const there = document.model !== null;
  useEffect(() => {
    if (ready || !there) return;
    let frame = requestAnimationFrame(() => {
      frame = requestAnimationFrame(() => setReady(drawn = true));
    });
    return () => cancelAnimationFrame(frame);
  }, [ready, there]);
  const waiting = <Box rounded="lg" bg="slip" borderWidth="1px" borderColor="line" data-testid="model-waits" />;
  return ready ? <Suspense fallback={waiting}><Model {...props} /></Suspense> : waiting;
}
