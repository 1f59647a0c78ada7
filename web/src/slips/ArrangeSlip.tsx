import { Flex, Input, Text } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import { useEditor } from "../api/hooks";
import type { SlipProps } from "../components/TaskSlip";
import * as format from "../format";
import { useKept } from "../state";
import { Choice, MainButton, NumberField, Running, running, Title } from "./parts";

const TURNING = ["none", "half", "quarter", "free"] as const;
const EFFORT = ["quick", "standard", "thorough"] as const;
const SIZE = ["shrink", "keep"] as const;

export function ArrangeSlip({ atlas, jobs, actions }: SlipProps) {
  const editor = useEditor();
  const [, tileWidth, tileHeight] = editor.tile;
  const [width, setWidth] = useState(tileWidth);
  const [height, setHeight] = useState(tileHeight);
  const [padding, setPadding] = useKept(`padding ${atlas.id}`, atlas.padding ?? 8);
  const [margin, setMargin] = useKept(`margin ${atlas.id}`, atlas.margin ?? 4);
  const [rotate, setRotate] = useKept<(typeof TURNING)[number]>("turning", "quarter");
  const [effort, setEffort] = useKept<(typeof EFFORT)[number]>("effort", "quick");
  const [size, setSize] = useKept<(typeof SIZE)[number]>("size", "shrink");
  useEffect(() => { setWidth(tileWidth); setHeight(tileHeight); }, [tileWidth, tileHeight]);
  const islands = editor.info?.world_area.length ?? 0;
  const mip = lastLine(padding, Math.min(width, height));
  const busy = running(jobs, "pack");
  return (
    <>
      <Title note={`Fit ${format.whole(islands)} islands into 1 sheet ${size === "keep" ? "at the size they have" : "at the largest common scale"}.`}>Pack</Title>
      <Flex align="center" justify="space-between" mb="1.5" gap="1">
        <Text>Sheet</Text>
        <Flex align="center" gap="1">
          <SizeField label="Sheet width" value={width} onChange={setWidth} />×<SizeField label="Sheet height" value={height} onChange={setHeight} />
          <Text color="soft" w="16px">px</Text>
        </Flex>
      </Flex>
      <NumberField label="Padding" unit="px" value={padding} min={0} max={512} onChange={setPadding} />
      <Text color="petrol" fontSize="12px" mt="-1" mb="1.5">{mip}</Text>
      <NumberField label="Edge margin" unit="px" value={margin} min={0} max={512} onChange={setMargin} />
      <Choice label="Turning" value={rotate} options={TURNING} onChange={setRotate} />
      <Choice label="Size" value={size} options={SIZE} onChange={setSize} names={{ shrink: "all scale to fit", keep: "keep" }} />
      <Choice label="Effort" value={effort} options={EFFORT} onChange={setEffort} />
      {!busy && <MainButton disabled={!islands} busy={actions.pack.isPending}
        onClick={() => actions.pack.mutate({ width, height, padding, margin, rotate, effort, seed: 1, fixed_scale: size === "keep" })}>
        Pack {format.whole(islands)} islands
      </MainButton>}
      <Running jobs={jobs} kind="pack" actions={actions} />
      {!busy && <Text color="soft" fontSize="12px" mt="2">{format.rawMegabytes(width, height)} MB per picture, 8-bit with mips</Text>}
    </>
  );
}

function lastLine(padding: number, size: number): string {
  const mip = format.lastMip(padding, size);
  return mip ? `holds down to mip ${mip.level} (${mip.size} px)` : "closes at once: neighbours touch";
}

function SizeField({ label, value, onChange }: { label: string; value: number; onChange: (value: number) => void }) {
  const [text, setText] = useState(String(value));
  useEffect(() => setText(String(value)), [value]);
  const keep = () => {
    const typed = Math.round(Number(text));
    if (typed >= 16 && typed <= 16384) onChange(typed);
    else setText(String(value));
  };
  return <Input size="xs" w="54px" px="1" textAlign="center" aria-label={label} value={text} onChange={(e) => setText(e.target.value)} onBlur={keep} onKeyDown={(e) => e.key === "Enter" && keep()} />;
}
