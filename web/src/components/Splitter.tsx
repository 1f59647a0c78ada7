import { Box } from "@chakra-ui/react";
import { useRef } from "react";
import { LIMITS, type Size } from "../room";

/** A seam between two parts of the room: drawn with the pointer, or moved with the arrow keys. */
export function Splitter({
  size,
  px,
  grows,
  resize,
  name,
}: {
  size: Size;
  px: number;
  grows: "left" | "right" | "up";
  resize: (px: number) => void;
  name: string;
}) {
  const from = useRef<{ at: number; px: number } | null>(null);
  const across = grows !== "up";
  const sign = grows === "right" ? 1 : -1;
  const at = (e: React.PointerEvent) => (across ? e.clientX : e.clientY);
  return (
    <Box
      role="separator"
      tabIndex={0}
      aria-label={name}
      aria-orientation={across ? "vertical" : "horizontal"}
      aria-valuenow={px}
      aria-valuemin={LIMITS[size][0]}
      aria-valuemax={LIMITS[size][1]}
      cursor={across ? "col-resize" : "row-resize"}
      w={across ? "10px" : undefined}
      h={across ? undefined : "10px"}
      flexShrink="0"
      position="relative"
      title="Drag to resize"
      _before={{
        content: '""',
        position: "absolute",
        inset: across ? "calc(50% - 14px) 4px auto 4px" : "4px auto 4px calc(50% - 14px)",
        w: across ? undefined : "28px",
        h: across ? "28px" : undefined,
        borderRadius: "2px",
        bg: "line",
      }}
      _hover={{ _before: { bg: "petrol" } }}
      _focusVisible={{ _before: { bg: "petrol" } }}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        from.current = { at: at(e), px };
      }}
      onPointerMove={(e) => {
        if (from.current) resize(from.current.px + sign * (at(e) - from.current.at));
      }}
      onPointerUp={() => {
        from.current = null;
      }}
      onKeyDown={(e) => {
        const step = {
          ArrowRight: across ? sign : 0,
          ArrowLeft: across ? -sign : 0,
          ArrowUp: across ? 0 : 1,
          ArrowDown: across ? 0 : -1,
        }[e.key];
        if (!step) return;
        e.preventDefault();
        e.stopPropagation();
        resize(px + step * (e.shiftKey ? 40 : 8));
      }}
    />
  );
}
