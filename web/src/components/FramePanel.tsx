import { Box, Button, Flex, Input, Text } from "@chakra-ui/react";
import { useRef, useState } from "react";
import { useEditor } from "../api/hooks";
import { tileCorner } from "../editor/table/tiles";
import * as format from "../format";
import { useKept } from "../state";
import { makes, numbersOf, typed, type Field } from "../editor/tools/numbers";

const SHOWN: {
  field: Field;
  label: string;
  name: string;
  unit: string;
  digits: number;
  wide: string;
}[] = [
  { field: "x", label: "x", name: "From the left", unit: "", digits: 1, wide: "52px" },
  { field: "y", label: "y", name: "From below", unit: "px", digits: 1, wide: "52px" },
  { field: "wide", label: "wide", name: "Width", unit: "", digits: 1, wide: "52px" },
  { field: "high", label: "high", name: "Height", unit: "px", digits: 1, wide: "52px" },
  { field: "turn", label: "turn", name: "Turn to the left", unit: "°", digits: 1, wide: "44px" },
  { field: "size", label: "size", name: "Size", unit: "%", digits: 1, wide: "46px" },
  { field: "density", label: "", name: "Density", unit: "px/m", digits: 0, wide: "44px" },
];

/** The numbers of what is selected; each can be typed, with simple arithmetic. */
export function FramePanel() {
  const editor = useEditor("selection", "document", "gesture");
  const [inUv, setInUv] = useKept("numbers in UV", false);
  const now = numbersOf(editor);
  if (!now)
    return (
      <Text color="soft" fontSize="12px" truncate>
        Drag islands to move them; drag over the empty table to select.
      </Text>
    );
  return (
    <Flex
      role="group"
      aria-label="What is selected, in numbers"
      gap="1"
      align="center"
      fontSize="12px"
      flexShrink="0"
      title="Type a number, or +8, *0.5, /2"
    >
      {SHOWN.map((shown) => {
        const size =
          editor.document.tiles.find((tile) => tile.number === now.tile) ??
          editor.document.tiles[0];
        const across = shown.field === "x" || shown.field === "wide";
        const length = across || shown.field === "y" || shown.field === "high";
        // UVs of the whole plane: a tile further along begins at its column and row.
        const whole = across ? size.width : size.height;
        const [column, row] = tileCorner(size.number);
        const start = shown.field === "x" ? column : shown.field === "y" ? row : 0;
        const uv = inUv && length;
        if (shown.field === "density")
          return (
            <Cell
              key={shown.field}
              {...shown}
              unit={format.densityUnit()}
              digits={format.densityUnit() === "px/m" ? 0 : 2}
              value={format.inDensityUnit(now.density)}
              act={(value) => {
                const made = makes("density", format.perMetre(value), now);
                if (made) void editor.transform(made.verb, made.by);
              }}
            />
          );
        return (
          <Cell
            key={shown.field}
            {...shown}
            {...(uv ? { digits: 4, unit: shown.unit && "UV", wide: "60px" } : {})}
            value={uv ? now[shown.field] / whole + start : now[shown.field]}
            act={(value) => {
              const made = makes(shown.field, uv ? (value - start) * whole : value, now);
              if (made) void editor.transform(made.verb, made.by);
            }}
          />
        );
      })}
      <Button
        size="2xs"
        variant="ghost"
        px="1"
        minW="28px"
        aria-label={inUv ? "UV: show numbers in px" : "px: show numbers in UV"}
        title={inUv ? "Numbers in UV; click for px" : "Numbers in px; click for UV"}
        onClick={() => setInUv(!inUv)}
      >
        {inUv ? "UV" : "px"}
      </Button>
    </Flex>
  );
}

function Cell({
  field,
  label,
  name,
  unit,
  digits,
  wide,
  value: now,
  act,
}: (typeof SHOWN)[number] & { value: number; act: (value: number) => void }) {
  const [text, setText] = useState<string | null>(null);
  const shown = now.toFixed(digits);
  const dropped = useRef(false);
  const done = () => {
    const value = !dropped.current && text !== null ? typed(text, now) : null;
    dropped.current = false;
    setText(null);
    if (value !== null && value.toFixed(digits + 3) !== now.toFixed(digits + 3)) act(value);
  };
  return (
    <Flex align="center" gap="1">
      {label && <Text color="soft">{label}</Text>}
      <Input
        aria-label={`${name}, ${unit || (digits > 3 ? "UV" : "px")}`}
        size="2xs"
        w={wide}
        px="1"
        textAlign="right"
        bg="paper"
        borderColor="line"
        fontVariantNumeric="tabular-nums"
        value={text ?? shown}
        data-number={field}
        onFocus={(e) => e.target.select()}
        onChange={(e) => setText(e.target.value)}
        onBlur={done}
        onKeyDown={(e) => {
          if (e.key === "Escape") dropped.current = true;
          if (e.key === "Enter" || e.key === "Escape") e.currentTarget.blur();
        }}
      />
      {unit && (
        <Box as="span" color="soft">
          {unit}
        </Box>
      )}
    </Flex>
  );
}
