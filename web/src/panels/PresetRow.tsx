import { Button, Flex, Input, NativeSelect } from "@chakra-ui/react";
import { Save, Trash2 } from "lucide-react";
import { useState } from "react";
import { usePresets } from "../api/arrange";
import type { Project } from "../api/client";
import type { PackSettings } from "../api/arrange";

/** Presets: pack settings saved by name. Choosing one fills in its settings. */
export function PresetRow({
  project,
  settings,
  apply,
}: {
  project: Project;
  settings: PackSettings;
  apply: (settings: Partial<PackSettings>) => void;
}) {
  const { list, save, drop } = usePresets(project.id);
  const [chosen, setChosen] = useState<number | null>(null);
  const [naming, setNaming] = useState(false);
  const [name, setName] = useState("");
  const preset = list.find((r) => r.id === chosen);
  const keep = () => {
    if (name.trim()) save.mutate({ name, settings }, { onSuccess: (made) => setChosen(made.id) });
    setNaming(false);
  };
  if (naming) {
    return (
      <Flex mb="2" gap="1">
        <Input
          size="xs"
          autoFocus
          placeholder="Name of the preset"
          aria-label="Name of the preset"
          value={name}
          maxLength={80}
          onChange={(e) => setName(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === "Enter") keep();
            if (e.key === "Escape") setNaming(false);
          }}
        />
        <Button size="xs" variant="outline" borderColor="line" onClick={keep}>
          Save
        </Button>
      </Flex>
    );
  }
  return (
    <Flex mb="2" gap="1" align="center">
      <NativeSelect.Root size="xs" flex="1">
        <NativeSelect.Field
          aria-label="Preset"
          value={chosen ?? ""}
          onChange={(e) => {
            const found = list.find((r) => r.id === Number(e.target.value));
            setChosen(found?.id ?? null);
            if (found) apply(found.settings as Partial<PackSettings>);
          }}
        >
          <option value="">{list.length ? "Preset …" : "No presets yet"}</option>
          {list.map((r) => (
            <option key={r.id} value={r.id}>
              {r.name}
            </option>
          ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
      <Button
        size="xs"
        px="1.5"
        variant="ghost"
        aria-label="Save as preset"
        title="Save these settings as a preset"
        onClick={() => {
          setName(preset?.name ?? "");
          setNaming(true);
        }}
      >
        <Save size={14} />
      </Button>
      {preset && (
        <Button
          size="xs"
          px="1.5"
          variant="ghost"
          aria-label={`Throw away ${preset.name}`}
          title={`Throw away ${preset.name}`}
          onClick={() => {
            drop.mutate(preset.id);
            setChosen(null);
          }}
        >
          <Trash2 size={14} />
        </Button>
      )}
    </Flex>
  );
}
