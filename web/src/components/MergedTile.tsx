import { Box, Button, Flex, Image, Text } from "@chakra-ui/react";
import { useEffect, useReducer, useRef } from "react";
import { lastMerged, roleName } from "../api/merge";
import type { Atlas, Job } from "../api/client";
import { useMergedView } from "../merged";
import { layTextures, wearPainted } from "../api/maps/onModel";
import { editor } from "../state";

const DIFFERENCE = "difference";
/** Longer side of the image that is shown, px. */
const SHOWN = 2048;
/** And of that on the model. */
const ON_MODEL = 1024;

/** The merged textures on their sheet, left of the wipe; the islands show on its right. */
export function MergedTile({ jobs, atlas }: { jobs: Job[]; atlas: Atlas }) {
  const last = lastMerged(jobs, atlas);
  const { role, share, show, wipe } = useMergedView();
  const [, redraw] = useReducer((n: number) => n + 1, 0);
  useEffect(() => editor.signal("frames").subscribe(redraw), []);
  useEffect(() => {
    // The shelf lies where the side table was.
    const folded = editor.view.sideFolded;
    editor.foldSide(true);
    return () => {
      editor.foldSide(folded);
      layTextures([]);
      wearPainted("");
    };
  }, []);
  const mine =
    last?.merged.report.textures.filter((one) => one.revision === last.merged.revision) ?? [];
  const off =
    last?.merged.report.difference.filter((one) => one.revision === last.merged.revision) ?? [];
  const roles = [...new Set(mine.map((one) => one.role)), ...(off.length ? [DIFFERENCE] : [])];
  const shown = roles.includes(role) ? role : (roles[0] ?? "");
  const fresh = last?.merged.revision === atlas.head.id;
  const first = editor.document.tiles[0]?.number ?? 1001;
  const named =
    shown === DIFFERENCE
      ? off.map((one) => ({
          tile: mine.find((row) => row.set === one.set)?.tile ?? 0,
          name: `difference ${one.set}`,
        }))
      : mine.filter((one) => one.role === shown);
  const images = named.map((one) => ({
    tile: one.tile || first,
    url: `/api/jobs/${last!.job.id}/textures/${encodeURIComponent(one.name)}`,
  }));
  const worn = JSON.stringify(
    fresh ? images.map((one) => ({ ...one, url: `${one.url}?size=${ON_MODEL}` })) : [],
  );
  useEffect(() => layTextures(JSON.parse(worn) as typeof images), [worn]);
  const paint = fresh && last ? `/api/revisions/${atlas.head.id}/painted/?job=${last.job.id}` : "";
  useEffect(() => wearPainted(paint), [paint]);
  if (!last || !roles.length || !editor.document.tiles.length) return null;
  return (
    <>
      {images
        .filter((one) => editor.document.tiles.some((tile) => tile.number === one.tile))
        .map((one) => (
          <TileImage
            key={one.tile}
            {...one}
            label={`Merged texture: ${roleName(shown)}`}
            other="islands"
            fresh={fresh}
            share={share}
            wipe={wipe}
          />
        ))}
      <Flex
        data-over-table
        role="radiogroup"
        aria-label="Which texture"
        position="absolute"
        left="8px"
        bottom="6px"
        gap="1"
        wrap="wrap"
        maxW="max(calc(100% - 360px), 250px)"
      >
        {roles.map((one) => (
          <Button
            key={one}
            role="radio"
            aria-checked={one === shown}
            size="2xs"
            variant="outline"
            bg={one === shown ? "ink" : "panel"}
            color={one === shown ? "panel" : "ink"}
            borderColor="line"
            onClick={() => show(one)}
          >
            {roleName(one)}
          </Button>
        ))}
        {shown === DIFFERENCE &&
          off.map((one) => (
            <Text
              key={one.set}
              fontSize="12px"
              bg="panel"
              px="1.5"
              rounded="sm"
              title="The largest difference of red, green and blue at the middle of each texel, as sRGB; paper is none, the darkest is 16 steps and more"
            >
              {off.length > 1 ? `${one.set}: ` : ""}off by {one.median.toFixed(1)} of 255 steps in
              the middle, {one.high.toFixed(1)} at 99 %, {one.most.toFixed(0)} at most
            </Text>
          ))}
      </Flex>
    </>
  );
}

type TileImageProps = {
  tile: number;
  url: string;
  label: string;
  other: string;
  stamp?: string;
  fresh: boolean;
  share: number;
  wipe: (share: number) => void;
};

/** The image of a tile, left of the wipe. */
export function TileImage({ tile, url, label, other, stamp, fresh, share, wipe }: TileImageProps) {
  const drag = useRef(false);
  const sheet = editor.document.map.sheet(tile);
  const [left, bottom] = editor.camera.toScreen(sheet.minX, sheet.minY);
  const [right, top] = editor.camera.toScreen(sheet.maxX, sheet.maxY);
  const to = (event: React.PointerEvent) =>
    wipe(
      (event.clientX - event.currentTarget.parentElement!.getBoundingClientRect().left) /
        (right - left),
    );
  return (
    <Box
      position="absolute"
      pointerEvents="none"
      style={{ left, top, width: right - left, height: bottom - top }}
      data-testid="merged"
    >
      <Box
        position="absolute"
        inset="0"
        bg="panel"
        style={{ clipPath: `inset(0 ${(1 - share) * 100}% 0 0)`, opacity: fresh ? 1 : 0.45 }}
      />
      <Image
        src={`${url}?size=${SHOWN}${stamp ? `&v=${stamp}` : ""}`}
        alt={`${label}${tile ? `, tile ${tile}` : ""}`}
        position="absolute"
        inset="0"
        w="100%"
        h="100%"
        draggable={false}
        style={{
          clipPath: `inset(0 ${(1 - share) * 100}% 0 0)`,
          imageRendering: editor.camera.scale > SHOWN ? "pixelated" : "auto",
          opacity: fresh ? 1 : 0.45,
        }}
      />
      <Box
        position="absolute"
        top="0"
        bottom="0"
        w="2px"
        bg="ink"
        style={{ left: `${share * 100}%` }}
      />
      <Box
        data-over-table
        role="slider"
        tabIndex={0}
        aria-label={`Wipe between the ${label === "" ? "texture" : stamp ? label : "merged texture"} and the ${other}`}
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={Math.round(100 * share)}
        aria-valuetext={`${Math.round(100 * share)} % texture`}
        pointerEvents="auto"
        cursor="ew-resize"
        position="absolute"
        top="50%"
        w="24px"
        h="24px"
        ml={share > 0.97 ? "-24px" : "-12px"}
        mt="-12px"
        rounded="full"
        bg="straw"
        borderWidth="2px"
        borderColor="ink"
        display="grid"
        placeItems="center"
        fontSize="11px"
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
            wipe(share + by);
          }
        }}
      >
        ⟨⟩
      </Box>
    </Box>
  );
}
