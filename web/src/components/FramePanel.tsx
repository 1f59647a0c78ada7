import { Box, Flex, Input, Text } from "@chakra-ui/react";
import { useRef, useState } from "react";
import { useEditor } from "../api/hooks";
import { makes, numbersOf, typed, type Field, type Numbers } from "../editor/tools/numbers";

const SHOWN: { field: Field; label: string; name: string; unit: string; digits: number; wide: string }[] = [
  { field: "x", label: "x", name: "From the left", unit: "", digits: 1, wide: "52px" },
  { field: "y", label: "y", name: "From below", unit: "px", digits: 1, wide: "52px" },
  { field: "wide", label: "wide", name: "Width", unit: "", digits: 1, wide: "52px" },
  { field: "high", label: "high", name: "Height", unit: "px", digits: 1, wide: "52px" },
  { field: "turn", label: "turn", name: "Turn to the left", unit: "°", digits: 1, wide: "44px" },
  { field: "size", label: "size", name: "Size", unit: "%", digits: 1, wide: "46px" },
  { field: "density", label: "", name: "Density", unit: "px/m", digits: 0, wide: "44px" },
];

/** The numbers of what is picked; each can be typed, with simple arithmetic. */
export function FramePanel() {
  const editor = useEditor("selection", "document", "gesture");
  const now = numbersOf(editor);
  if (!now) return <Text color="soft" fontSize="12px" truncate>Drag islands to move them; drag over the empty table to pick.</Text>;
  return (
    <Flex role="group" aria-label="What is picked, in numbers" gap="1" align="center" fontSize="12px" flexShrink="0" title="Type a number, or +8, *0.5, /2">
      {SHOWN.map((shown) => <Cell key={shown.field} {...shown} now={now} act={(value) => {
        const made = makes(shown.field, value, now);
        if (made) void editor.transform(made.verb, made.by);
      }} />)}
    </Flex>
  );
}

function Cell({ field, label, name, unit, digits, wide, now, act }: (typeof SHOWN)[number] & { now: Numbers; act: (value: number) => void }) {
  const [text, setText] = useState<string | null>(null);
  const shown = now[field].toFixed(digits);
  const dropped = useRef(false);
  const done = () => {
    const value = !dropped.current && text !== null ? typed(text, now[field]) : null;
    dropped.current = false;
    setText(null);
    if (value !== null && value.toFixed(digits + 3) !== now[field].toFixed(digits + 3)) act(value);
  };
  return (
    <Flex align="center" gap="1">
      {label && <Text color="soft">{label}</Text>}
      <Input aria-label={`${name}${unit ? `, ${unit}` : ", px"}`} size="2xs" w={wide} px="1" textAlign="right" bg="paper" borderColor="line" fontVariantNumeric="tabular-nums" value={text ?? shown} data-number={field}
        onFocus={(e) => e.target.select()} onChange={(e) => setText(e.target.value)} onBlur={done}
        onKeyDown={(e) => {
          if (e.key === "Escape") dropped.current = true;
          if (e.key === "Enter" || e.key === "Escape") e.currentTarget.blur();
        }} />
      {unit && <Box as="span" color="soft">{unit}</Box>}
    </Flex>
  );
}
