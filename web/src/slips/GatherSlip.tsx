import { Box, Input, NativeSelect, Text } from "@chakra-ui/react";
import { useRef, useState } from "react";
import { useEditor } from "../api/hooks";
import type { SlipProps } from "../components/TaskSlip";
import * as format from "../format";
import { MainButton, NumberField, Running, Title } from "./parts";

const UNITS = [["1", "metre"], ["0.01", "centimetre"], ["0.001", "millimetre"], ["0.0254", "inch"], ["0.3048", "foot"]];

export function GatherSlip({ jobs, project, actions, upload }: SlipProps) {
  const editor = useEditor();
  const input = useRef<HTMLInputElement>(null);
  const [unit, setUnit] = useState("1");
  const [busy, setBusy] = useState(false);
  const files = new Map<string, number>();
  for (const object of editor.info?.objects ?? []) files.set(object.file, (files.get(object.file) ?? 0) + 1);
  const send = async (chosen: File[]) => {
    setBusy(true);
    await upload(chosen, Number(unit));
    setBusy(false);
  };
  return (
    <>
      <Title note="Bring in many meshes at once: OBJ with MTL and pictures, glTF, GLB, or a zip. Drop them anywhere.">Gather</Title>
      <Text mb="1">Unit of OBJ files</Text>
      <NativeSelect.Root size="xs" mb="2">
        <NativeSelect.Field aria-label="Unit of OBJ files" value={unit} onChange={(e) => setUnit(e.target.value)}>
          {UNITS.map(([value, name]) => <option key={value} value={value}>{name}</option>)}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
      <Text color="soft" fontSize="12px" mb="2">An OBJ does not say its unit. glTF is always in metres.</Text>
      <NumberField label="UVs are one point within" unit="tiles" value={project.uv_tolerance ?? 1e-5} min={0} max={0.01} step={1e-5} onChange={(uv_tolerance) => actions.setHouse.mutate({ uv_tolerance })} />
      <Text color="soft" fontSize="12px" mb="2">Files round their UVs; this is of files that come in from now on.</Text>
      <Input ref={input} type="file" multiple hidden data-testid="files" onChange={(e) => { void send([...(e.target.files ?? [])]); e.target.value = ""; }} />
      <MainButton busy={busy} onClick={() => input.current?.click()}>Bring in files</MainButton>
      <Running jobs={jobs} kind="gather" actions={actions} />
      <Box mt="3">
        {[...files].map(([name, count]) => <Text key={name} fontSize="12.5px">{name} <Text as="span" color="soft">· {format.whole(count)} {count === 1 ? "object" : "objects"}</Text></Text>)}
        {editor.info?.warnings.map((warning) => <Text key={warning} color="amber" fontSize="12px" mt="1">{warning}</Text>)}
      </Box>
    </>
  );
}
