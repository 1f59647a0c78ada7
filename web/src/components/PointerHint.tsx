import { Box } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";
import { useEditor } from "../api/hooks";
import { TOOLS } from "../commands/view";
import type { ToolName } from "../editor/tools/ToolManager";

const KEPT = "quilt-hints";

/** A short line at the pointer until a tool was used once in this browser; it takes part in nothing else. */
export function PointerHint() {
  const editor = useEditor("tools");
  const [used, setUsed] = useState<string[]>(() => (localStorage.getItem(KEPT) ?? "").split(" "));
  const box = useRef<HTMLDivElement>(null);
  const { tools } = editor;
  const tool = tools.tool;
  const shown = tool !== "take" && !used.includes(tool) && tools.state.name === "pen";
  useEffect(() => {
    tools.onUsed = (name: ToolName) =>
      setUsed((before) => {
        const now = [...new Set([...before, name])];
        localStorage.setItem(KEPT, now.join(" "));
        return now;
      });
    return () => {
      tools.onUsed = null;
    };
  }, [tools]);
  useEffect(() => {
    if (!shown) return;
    const follow = () => {
      const at = tools.last;
      if (at && box.current)
        box.current.style.transform = `translate(${at.sx + 14}px, ${at.sy + 16}px)`;
    };
    follow();
    window.addEventListener("pointermove", follow);
    return () => window.removeEventListener("pointermove", follow);
  }, [shown, tools]);
  if (!shown) return null;
  return (
    <Box
      ref={box}
      role="status"
      position="absolute"
      left="0"
      top="0"
      maxW="250px"
      bg="ink"
      color="panel"
      rounded="md"
      px="2"
      py="1"
      fontSize="12px"
      pointerEvents="none"
      zIndex="2"
    >
      {TOOLS.find((row) => row.tool === tool)?.hint}
    </Box>
  );
}
