import { Box } from "@chakra-ui/react";
import { lazy, Suspense } from "react";
import { useEditor } from "../api/hooks";
import type { ModelView } from "./ModelView";

const Model = lazy(() => import("./ModelView").then((file) => ({ default: file.ModelView })));

/** The model, once the table is painted: the drawing libraries of the model keep nobody waiting for the table. */
export function LateModel(props: Parameters<typeof ModelView>[0]) {
  const { painted } = useEditor("painted");
  const waiting = (
    <Box rounded="lg" bg="panel" borderWidth="1px" borderColor="line" data-testid="model-waits" />
  );
  return painted.version ? (
    <Suspense fallback={waiting}>
      <Model {...props} />
    </Suspense>
  ) : (
    waiting
  );
}
