import { Box } from "@chakra-ui/react";
import { useFrame } from "@react-three/fiber";
import type { RefObject } from "react";
import { PerspectiveCamera, Vector3 } from "three";
import * as format from "../format";
import { roundLength } from "../editor/camera/ruler";

/** Longest that the ruler is, px of the screen. */
const LONGEST = 110;

/** Measures how long a metre is on the screen where the model is looked at, and shows it on the ruler. */
export function RulerProbe({ ruler }: { ruler: RefObject<HTMLDivElement | null> }) {
  useFrame(({ camera, controls, size }) => {
    const shown = ruler.current;
    if (!shown || !(camera instanceof PerspectiveCamera)) return;
    const target = (controls as unknown as { target?: Vector3 } | null)?.target ?? new Vector3();
    const high = 2 * camera.position.distanceTo(target) * Math.tan((camera.fov * Math.PI) / 360);
    const perPx = high / Math.max(size.height, 1);
    const metres = roundLength(perPx * LONGEST);
    if (!Number.isFinite(metres) || metres <= 0) return;
    const text = format.length(metres);
    if (shown.textContent !== text) shown.textContent = text;
    shown.style.width = `${metres / perPx}px`;
  });
  return null;
}

/** A ruler for what stands in the middle of the model's view. */
export function Ruler({ ruler }: { ruler: RefObject<HTMLDivElement | null> }) {
  return (
    <Box
      ref={ruler}
      data-testid="ruler"
      title="So long is this on the model, at the distance of what is looked at"
      position="absolute"
      left="12px"
      top="35px"
      zIndex="1"
      h="16px"
      fontSize="11px"
      lineHeight="12px"
      textAlign="center"
      whiteSpace="nowrap"
      color="ink"
      bg="panel/85"
      borderWidth="1px"
      borderColor="straw"
      borderTopWidth="3px"
      rounded="2px"
      pointerEvents="none"
    />
  );
}
