import { Box, Button, Flex, Text } from "@chakra-ui/react";
import type { components } from "../api/schema.generated";
import { useEditor } from "../api/hooks";
import * as format from "../format";
import type { PackSettings } from "../api/arrange";

type Binding = components["schemas"]["BindingOut"];

/** After a pack: what sets the density, and what each cure would bring. */
export function BindingPart({ binding, asking, settings, set }: { binding: Binding | null | undefined; asking: boolean; settings: PackSettings; set: (change: Partial<PackSettings>) => void }) {
  const editor = useEditor("document");
  if (!binding) return asking ? <Text color="soft" fontSize="12px" mb="1.5">Asking what sets the density …</Text> : null;
  return (
    <Box borderWidth="1px" borderColor="line" borderStyle="dashed" rounded="md" px="2" py="1.5" mb="2" fontSize="12.5px" data-binding={binding.kind}>
      <Text fontWeight="600">What sets the density</Text>
      <Text lineHeight="1.35">{binding.text}</Text>
      {binding.islands.length > 0 && <Button size="2xs" variant="plain" px="0" color="petrol" onClick={() => { editor.select((selection) => selection.set(binding.islands)); editor.frameSelection(); }}>Show {binding.islands.length === 1 ? "it" : `these ${binding.islands.length}`}</Button>}
      {binding.cures.map((cure) => {
        const change = changeOf(cure.kind, settings);
        return (
          <Box key={cure.kind} mt="1" data-cure={cure.kind}>
            <Text lineHeight="1.3">{cure.text}</Text>
            <Flex align="center" justify="space-between" minH="22px">
              <Text color="petrol" title="Expected, by a quick pack with it and one without">{cure.density === null ? "" : `about ${format.density(cure.density)} px/m, `}+{format.percent(cure.factor - 1)} %</Text>
              {change && <Button size="2xs" variant="outline" borderColor="line" onClick={() => set(change)} title="Set it below; then pack again">Set</Button>}
            </Flex>
          </Box>
        );
      })}
      {binding.cures.length === 0 && <Text color="soft">No cure that was tried brings more than 1 %.</Text>}
    </Box>
  );
}

/** Settings of the slip that a cure stands for, where it is one. */
function changeOf(kind: string, settings: PackSettings): Partial<PackSettings> | null {
  if (kind === "free turns") return { rotate: "free", free_steps: 24 };
  if (kind === "padding") return { padding: settings.padding / 2 };
  return null;
}
