import { useAction } from "../api/actions/act";
import { Box } from "@chakra-ui/react";
import { useRef } from "react";
import type { Editor } from "../editor/Editor";
import { toDensity, toX, type LogScale } from "../editor/density/logScale";
import * as format from "../format";

type Props = {
  editor: Editor;
  scale: LogScale;
  left: number;
  top: number;
  bottom: number;
};
type Grip = "middle" | "low" | "high";

/** The house band as a ribbon through all rows: drag it for the density, its edges for the tolerance. */
export function HouseRibbon({ editor, scale, left, top, bottom }: Props) {
  const houseAction = useAction("house");
  const drag = useRef<{ grip: Grip; x: number; house: number } | null>(null);
  const low = toX(scale, editor.view.house / (1 + editor.view.tolerance));
  const high = toX(scale, editor.view.house * (1 + editor.view.tolerance));
  const keep = () =>
    houseAction.run({ house_density: editor.view.house, tolerance: editor.view.tolerance });

  const down = (grip: Grip) => (e: React.PointerEvent) => {
    e.preventDefault();
    e.currentTarget.setPointerCapture(e.pointerId);
    drag.current = { grip, x: e.clientX, house: editor.view.house };
  };
  const move = (e: React.PointerEvent) => {
    const d = drag.current;
    if (!d) return;
    const box = (e.currentTarget.closest("[data-ribbon]") as HTMLElement).getBoundingClientRect();
    if (d.grip === "middle") {
      const moved = toDensity(scale, toX(scale, d.house) + e.clientX - d.x);
      editor.setHouse(Math.max(0.01, rounded(moved)), editor.view.tolerance);
    } else {
      const at = toDensity(scale, e.clientX - box.left);
      const ratio = d.grip === "high" ? at / editor.view.house : editor.view.house / at;
      editor.setHouse(
        editor.view.house,
        Math.min(0.9, Math.max(0.01, Math.round(100 * (ratio - 1)) / 100)),
      );
    }
  };
  const up = () => {
    if (drag.current) keep();
    drag.current = null;
  };
  const key = (e: React.KeyboardEvent) => {
    const step = e.shiftKey ? 1.25 : e.altKey ? 1.005 : 1.05;
    if (e.key === "ArrowRight" || e.key === "ArrowUp")
      editor.setHouse(rounded(editor.view.house * step), editor.view.tolerance);
    else if (e.key === "ArrowLeft" || e.key === "ArrowDown")
      editor.setHouse(rounded(editor.view.house / step), editor.view.tolerance);
    else return;
    e.preventDefault();
    e.stopPropagation();
    keep();
  };
  const handlers = { onPointerMove: move, onPointerUp: up, onPointerCancel: up };
  return (
    <Box
      data-ribbon
      position="absolute"
      left={`${left}px`}
      right="0"
      top={`${top}px`}
      bottom={`${bottom}px`}
      pointerEvents="none"
      overflow="hidden"
    >
      <Box
        position="absolute"
        top="0"
        bottom="0"
        left={`${low}px`}
        w={`${Math.max(high - low, 3)}px`}
        bg="straw/40"
      />
      <Box
        position="absolute"
        top="0"
        bottom="0"
        left={`${toX(scale, editor.view.house)}px`}
        borderLeftWidth="1.5px"
        borderStyle="dashed"
        borderColor="amber"
      />
      <Box
        role="slider"
        tabIndex={0}
        aria-label="House density"
        aria-valuenow={editor.view.house}
        aria-valuemin={scale.low}
        aria-valuemax={scale.high}
        aria-valuetext={`${format.density(editor.view.house)} px/m`}
        title="Drag to set the house density"
        position="absolute"
        top="0"
        h="11px"
        left={`${(low + high) / 2 - 9}px`}
        w="18px"
        rounded="4px"
        bg="straw"
        borderWidth="1px"
        borderColor="amber"
        cursor="ew-resize"
        pointerEvents="auto"
        onPointerDown={down("middle")}
        onKeyDown={key}
        {...handlers}
      />
      {(["low", "high"] as const).map((grip) => (
        <Box
          key={grip}
          title="Drag to set the tolerance"
          position="absolute"
          top="16px"
          bottom="0"
          w="6px"
          left={`${grip === "low" ? low - 6 : high}px`}
          cursor="col-resize"
          pointerEvents="auto"
          onPointerDown={down(grip)}
          {...handlers}
        />
      ))}
    </Box>
  );
}

const rounded = (density: number) => Number(density.toPrecision(density >= 100 ? 3 : 2));
