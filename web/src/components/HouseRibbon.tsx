import { useHouse } from "../api/house";
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

/**
 * The house band as a ribbon through all rows: drag it for the density, its edges for the tolerance, or
 * for the end itself where it is said.
 */
export function HouseRibbon({ editor, scale, left, top, bottom }: Props) {
  const { show, keep } = useHouse(editor);
  const drag = useRef<{ grip: Grip; x: number; house: number } | null>(null);
  const { houseBand, band } = editor.view;
  const [low, high] = band.map((end) => Math.min(scale.width, Math.max(0, toX(scale, end))));

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
      show({ density: Math.max(0.01, rounded(moved)) });
    } else {
      const at = toDensity(scale, e.clientX - box.left);
      const end = d.grip === "high" ? "most" : "least";
      const ratio = d.grip === "high" ? at / editor.view.house : editor.view.house / at;
      if (houseBand[end] === null)
        show({
          tolerance: Math.min(0.9, Math.max(0.01, Math.round(100 * (ratio - 1)) / 100)),
        });
      else if (d.grip === "high") show({ most: Math.max(band[0], rounded(at)) });
      else show({ least: Math.min(band[1], rounded(at)) });
    }
  };
  const up = () => {
    if (drag.current) keep();
    drag.current = null;
  };
  const key = (e: React.KeyboardEvent) => {
    const step = e.shiftKey ? 1.25 : e.altKey ? 1.005 : 1.05;
    if (e.key === "ArrowRight" || e.key === "ArrowUp")
      show({ density: rounded(editor.view.house * step) });
    else if (e.key === "ArrowLeft" || e.key === "ArrowDown")
      show({ density: rounded(editor.view.house / step) });
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
        aria-valuetext={`${format.densityIn(editor.view.house)}`}
        title="Drag to set the house density"
        position="absolute"
        top="0"
        h="11px"
        left={`${toX(scale, editor.view.house) - 9}px`}
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
          title={
            houseBand[grip === "low" ? "least" : "most"] === null
              ? "Drag to set the tolerance"
              : `Drag to set the ${grip === "low" ? "least" : "most"} density`
          }
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
