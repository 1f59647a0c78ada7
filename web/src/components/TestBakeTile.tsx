import { Button, Flex, Text } from "@chakra-ui/react";
import { useEffect, useReducer } from "react";
import type { Atlas, Job } from "../api/client";
import { lastTestBake, mapName } from "../api/testBake";
import { useMapView } from "../testBake";
import { layHighPoly, layNormals, layTextures } from "../api/maps/onModel";
import { editor } from "../state";
import { TileImage } from "./MergedTile";

/** Longer side of images on the model, px. */
const ON_MODEL = 1024;
const SHADING = "objectNormal";
const DIFFERENCE = "difference";

/** The maps of a test bake on their sheets and on the model. */
export function TestBakeTile({ jobs, atlas }: { jobs: Job[]; atlas: Atlas }) {
  const last = lastTestBake(jobs, atlas);
  const { map, share, show, wipe } = useMapView();
  const [, redraw] = useReducer((n: number) => n + 1, 0);
  useEffect(() => editor.signal("frames").subscribe(redraw), []);
  useEffect(
    () => () => {
      layTextures([]);
      layNormals([], false);
      layHighPoly("");
    },
    [],
  );
  const off = last?.baked?.difference ?? [];
  const asked = last?.baked?.asked.length
    ? [...last.baked.asked, ...(off.length ? [DIFFERENCE] : [])]
    : [...new Set(last?.maps.map((one) => one.map) ?? [])];
  const shown = asked.includes(map) ? map : (asked[0] ?? "");
  const fresh = !last?.baked || last.baked.revision === atlas.head.id;
  const stamp = last ? `${last.job.id}-${last.baked ? "done" : "coarse"}` : "";
  const of = (name: string) =>
    (last?.maps ?? [])
      .filter((one) => one.map === name)
      .map((one) => ({
        tile: one.tile,
        url: `/api/jobs/${last!.job.id}/textures/${encodeURIComponent(one.file)}`,
      }));
  const images = of(shown);
  const onModel = (name: string) =>
    JSON.stringify(
      fresh
        ? of(name).map((one) => ({ ...one, url: `${one.url}?size=${ON_MODEL}&v=${stamp}` }))
        : [],
    );
  // Normals are seen by the light that falls on them; all else as it is.
  const worn = shown === "normal" || shown === SHADING ? "[]" : onModel(shown);
  const lit = onModel(SHADING);
  const own =
    last?.baked?.own_space ??
    (last?.job.figures as { own_space?: boolean } | null)?.own_space ??
    false;
  useEffect(() => layTextures(JSON.parse(worn) as typeof images), [worn]);
  const highPoly = fresh && last?.baked?.fine ? `/api/jobs/${last.job.id}/high-poly/` : "";
  useEffect(() => layHighPoly(highPoly), [highPoly]);
  useEffect(() => layNormals(JSON.parse(lit) as typeof images, own), [lit, own]);
  if (!last || !editor.document.tiles.length) return null;
  return (
    <>
      {images
        .filter((one) => editor.document.tiles.some((tile) => tile.number === one.tile))
        .map((one) => (
          <TileImage
            key={`${one.tile} ${stamp}`}
            tile={one.tile}
            url={one.url}
            stamp={stamp}
            label={`${mapName(shown)} map`}
            other="islands"
            fresh={fresh}
            share={share}
            wipe={wipe}
          />
        ))}
      <Flex
        data-over-table
        role="radiogroup"
        aria-label="Which map"
        position="absolute"
        left="8px"
        bottom="6px"
        gap="1"
        wrap="wrap"
        maxW="max(calc(100% - 330px), 300px)"
        data-testid="maps"
      >
        {asked.map((one) => (
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
            {mapName(one)}
          </Button>
        ))}
        {shown === DIFFERENCE &&
          off.map((one) => (
            <Text
              key={one.tile}
              fontSize="12px"
              bg="panel"
              px="1.5"
              rounded="sm"
              title="The angle between what the map shows between its texels and the high poly mesh; paper is none"
            >
              {off.length > 1 ? `${one.tile}: ` : ""}off by {one.median.toFixed(1)}° in the middle,{" "}
              {one.at_99.toFixed(1)}° at 99 %, {one.most.toFixed(0)}° at most; darkest from{" "}
              {one.darkest}° on
            </Text>
          ))}
        {!fresh && (
          <Text fontSize="12px" bg="panel" px="1.5" rounded="sm" color="amber">
            of an earlier layout
          </Text>
        )}
      </Flex>
    </>
  );
}
