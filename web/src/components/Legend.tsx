import { Box, Flex, NativeSelect, Text } from "@chakra-ui/react";
import { oldWords, useEditor } from "../api/hooks";
import { css, fabric, mix, OCHRE, PAPER, TEAL } from "../editor/style/views";
import { squareForSmallest } from "../editor/selection/finders";
import * as format from "../format";
import { OwnImage } from "./OwnImage";

/** What the colours mean, with numbers and units. */
export function Legend() {
  const editor = useEditor("document", "figures", "view");
  return (
    <Box display="contents" data-old={oldWords(editor)}>
      <Meaning />
    </Box>
  );
}

function Meaning() {
  const editor = useEditor("document", "figures", "view");
  const f = editor.document.info?.figures;
  switch (editor.view.as) {
    case "density": {
      const off = editor.outsideBand().length;
      return (
        <Ramp
          left={format.density(editor.view.house / 2)}
          right={`${format.densityIn(editor.view.house * 2)}`}
          title={`${format.counted(off, "island")} outside the house band`}
        />
      );
    }
    case "stretch":
      return (
        <Ramp
          left="½"
          right="2 × texels/m"
          title="Texels per metre of each face over its island's mean, in the direction where they differ most. The number on an island is its L2 stretch, 1 is none."
        />
      );
    case "visibility":
      return (
        <Swatches
          rows={
            editor.figures.visibleShare
              ? [
                  [css(OCHRE), "never visible"],
                  [css(mix(PAPER, TEAL, 0.35)), "visible all over"],
                ]
              : [["#C8C8C8", "not measured yet: Even out, Visibility"]]
          }
        />
      );
    case "facing":
      return (
        <Swatches
          rows={[
            [
              css(mix(PAPER, TEAL, 0.45)),
              `face up ${format.whole((f?.island_flags.length ?? 0) - (f?.mirrored ?? 0))}`,
            ],
            [css(OCHRE), `mirrored ${format.whole(f?.mirrored ?? 0)}`],
          ]}
        />
      );
    case "overlap":
      return (
        <Swatches
          rows={[
            [
              css(OCHRE),
              `${format.whole(f?.overlapping ?? 0)} share ${format.whole(f?.overlap_texels ?? 0)} texels`,
            ],
            [css(mix(PAPER, TEAL, 0.6)), "stack"],
          ]}
        />
      );
    case "material": {
      const names = editor.figures.report?.materials ?? [];
      const counts = names.map(
        (_, k) => editor.figures.report!.island_material.filter((m) => m === k).length,
      );
      return (
        <Swatches
          rows={names.map((name, k) => [css(fabric(k)), `${name} ${format.whole(counts[k])}`])}
        />
      );
    }
    case "tile":
      return (
        <Swatches
          rows={editor.document.tiles.map((tile, k) => [
            css(fabric(k)),
            `${tile.number} ${format.whole(f?.tiles.find((t) => t.number === tile.number)?.islands ?? 0)}`,
          ])}
        />
      );
    case "checker":
      return <CheckerSquare />;
    case "own image":
      return <OwnImage />;
    default:
      return (
        <Text fontSize="12px" color="soft" px="1.5" rounded="md" bg="panel/80">
          {editor.view.as}
        </Text>
      );
  }
}

const SQUARES_PX = [4, 8, 16, 32, 64, 128, 256];
const SQUARES_M = [0.05, 0.1, 0.25, 0.5, 1, 2];

/** How large a square of the checker is, in texels and at the house density. */
function CheckerSquare() {
  const editor = useEditor("view", "selection");
  const { square, checkerSquare, house } = editor.view;
  const value = square?.px ? `${square.px} px` : square?.metres ? `${square.metres} m` : "";
  const long = format.length(checkerSquare / house);
  return (
    <Flex fontSize="12px" color="soft" px="1.5" rounded="md" bg="panel/80" align="center" gap="1">
      <Text whiteSpace="nowrap">1 square =</Text>
      <NativeSelect.Root size="xs" w="92px">
        <NativeSelect.Field
          aria-label="Size of a checker square"
          h="20px"
          ps="1"
          value={value}
          onChange={(e) => {
            const [number, unit] = e.target.value.split(" ");
            if (number === "smallest") {
              const px = squareForSmallest(editor, editor.selection.list());
              if (px !== null) editor.setSquare({ px });
              return;
            }
            editor.setSquare(
              unit === "px"
                ? { px: Number(number) }
                : unit === "m"
                  ? { metres: Number(number) }
                  : null,
            );
          }}
        >
          <option value="">{value ? "as it suits" : `${checkerSquare} px`}</option>
          <option value="smallest face" disabled={!editor.selection.size}>
            for the smallest face selected
          </option>
          {square?.px && !SQUARES_PX.includes(square.px) && (
            <option value={`${square.px} px`}>{square.px} px</option>
          )}
          {SQUARES_PX.map((px) => (
            <option key={px} value={`${px} px`}>
              {px} px
            </option>
          ))}
          {SQUARES_M.map((metres) => (
            <option key={metres} value={`${metres} m`}>
              {format.length(metres)}
            </option>
          ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
      <Text whiteSpace="nowrap" title="Of a surface that has the house density">
        {square?.metres ? `${Number(checkerSquare.toPrecision(3))} px` : long} at the house density
      </Text>
    </Flex>
  );
}

function Ramp({ left, right, title }: { left: string; right: string; title: string }) {
  return (
    <Flex
      align="center"
      gap="1.5"
      fontSize="12px"
      color="soft"
      px="1.5"
      py="0.5"
      rounded="md"
      bg="panel/80"
      title={title}
      aria-label={`Legend: ${left} to ${right}. ${title}`}
      data-legend
    >
      {left}
      <Box
        w="84px"
        h="9px"
        rounded="full"
        borderWidth="1px"
        borderColor="line"
        bgImage="linear-gradient(90deg, #3A8F8F, #C6CDBF 46%, #F0EADC 48% 52%, #E3D0A8 54%, #C48A2A)"
      />
      {right}
    </Flex>
  );
}

const MOST = 7;

function Swatches({ rows }: { rows: [string, string][] }) {
  return (
    <Flex
      direction="column"
      gap="0.5"
      fontSize="12px"
      color="soft"
      title={rows.map(([, text]) => text).join(", ")}
      data-legend
      px="1.5"
      py="1"
      rounded="md"
      bg="panel/80"
    >
      {rows.slice(0, MOST).map(([colour, text]) => (
        <Flex key={text} align="center" gap="1" minW="0">
          <Box
            w="10px"
            h="10px"
            flexShrink="0"
            rounded="3px"
            borderWidth="1px"
            borderColor="ink/40"
            style={{ background: colour }}
          />
          <Text truncate maxW="220px">
            {text}
          </Text>
        </Flex>
      ))}
      {rows.length > MOST && <Text>and {rows.length - MOST} more</Text>}
    </Flex>
  );
}
