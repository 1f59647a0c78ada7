import { Box, Text } from "@chakra-ui/react";
import { useRef } from "react";
import { useEditor } from "../api/hooks";

/** On the model: left of the line as it was painted in its files, right of it as it was merged over. */
export function PaintWipe() {
  const editor = useEditor("maps");
  const drag = useRef(false);
  const { painted, texture } = editor.maps;
  const share = editor.maps.view.paintedTo;
  if (!painted || !texture) return null;
  const to = (event: React.PointerEvent) => {
    const box = event.currentTarget.parentElement!.getBoundingClientRect();
    editor.maps.look({ paintedTo: (event.clientX - box.left) / box.width });
  };
  return (
    <Box position="absolute" inset="0" pointerEvents="none" data-testid="paint-wipe">
      {share > 0 && (
        <Box
          position="absolute"
          top="30px"
          bottom="0"
          w="1.5px"
          bg="ink"
          style={{ left: `${share * 100}%` }}
        />
      )}
      {share > 0.12 && (
        <Text
          position="absolute"
          bottom="4px"
          fontSize="11px"
          bg="panel"
          px="1"
          rounded="sm"
          style={{ right: `calc(${(1 - share) * 100}% + 6px)` }}
        >
          as painted
        </Text>
      )}
      {share < 0.85 && (
        <Text
          position="absolute"
          bottom="4px"
          fontSize="11px"
          bg="panel"
          px="1"
          rounded="sm"
          style={{ left: `calc(${share * 100}% + ${share > 0 ? 6 : 16}px)` }}
        >
          merged
        </Text>
      )}
      <Box
        role="slider"
        tabIndex={0}
        aria-label="Wipe on the model between what was painted and what was merged"
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={Math.round(100 * share)}
        aria-valuetext={`${Math.round(100 * share)} % as painted`}
        pointerEvents="auto"
        cursor="ew-resize"
        position="absolute"
        bottom="24px"
        w="20px"
        h="20px"
        ml={share < 0.06 ? "0" : share > 0.94 ? "-20px" : "-10px"}
        rounded="full"
        bg="straw"
        borderWidth="2px"
        borderColor="ink"
        display="grid"
        placeItems="center"
        fontSize="9px"
        fontWeight="700"
        color="ink"
        style={{ left: `${share * 100}%`, touchAction: "none" }}
        onPointerDown={(e) => {
          e.stopPropagation();
          drag.current = true;
          e.currentTarget.setPointerCapture(e.pointerId);
        }}
        onPointerMove={(e) => {
          if (drag.current) to(e);
        }}
        onPointerUp={() => {
          drag.current = false;
        }}
        onKeyDown={(e) => {
          const by = e.key === "ArrowLeft" ? -0.05 : e.key === "ArrowRight" ? 0.05 : 0;
          if (by) {
            e.preventDefault();
            e.stopPropagation();
            editor.maps.look({ paintedTo: share + by });
          }
        }}
      >
        ⟨⟩
      </Box>
    </Box>
  );
}
