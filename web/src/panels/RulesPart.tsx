import { Box, Button, Flex, NativeSelect, Text } from "@chakra-ui/react";
import { useRules } from "../api/check";
import type { PanelProps } from "./props";
import type { KindInfo } from "../api/client";
import { NumberField, Title } from "./parts";

/** Thresholds of the project, what each kind of finding counts as, and what is ignored. */
export function RulesPart({ project, atlas }: PanelProps) {
  const { rules, change: set } = useRules(project.id);
  if (!rules) return <Title note="The rules are on their way.">Rules</Title>;
  return (
    <>
      <Title
        note={`The wanted gap is the padding, ${atlas.padding} px, and the distance to the edge the margin, ${atlas.margin} px: both as last packed. The house band is set on the ribbon below.`}
      >
        Rules
      </Title>
      <NumberField
        label="Gaps open to mip"
        unit={rules.mip_level ? `${2 ** rules.mip_level} px` : ""}
        value={rules.mip_level}
        min={0}
        max={14}
        onChange={(mip_level) => set({ mip_level })}
      />
      <NumberField
        label="Stretch L2 up to"
        unit="×"
        value={rules.stretch}
        min={1}
        max={100}
        step={0.05}
        onChange={(stretch) => set({ stretch })}
      />
      <NumberField
        label="Angles up to"
        unit="×"
        value={rules.angle}
        min={1}
        max={100}
        step={0.1}
        onChange={(angle) => set({ angle })}
      />
      <NumberField
        label="Sliver below"
        unit="1 : 1"
        value={rules.sliver}
        min={0}
        max={0.8}
        step={0.001}
        onChange={(sliver) => set({ sliver })}
      />
      <NumberField
        label="Materials apart"
        unit="px"
        value={rules.material_gap}
        min={0}
        max={1024}
        onChange={(material_gap) => set({ material_gap })}
      />
      <Text color="soft" fontSize="12px" mb="2">
        0 px: materials may touch as other islands do.
      </Text>
      {rules.ignored.length > 0 && (
        <Text fontWeight="650" mt="2">
          Ignored
        </Text>
      )}
      {rules.ignored.map((row) => (
        <Box key={row.finding} py="1" borderBottomWidth="1px" borderColor="line">
          <Text fontSize="12.5px" lineHeight="1.3">
            {row.about || row.finding}
          </Text>
          <Flex justify="space-between" align="center">
            <Text color="soft" fontSize="12px">
              {row.reason}
            </Text>
            <Button
              size="2xs"
              variant="ghost"
              onClick={() => set({ ignored: rules.ignored.filter((other) => other !== row) })}
            >
              Count again
            </Button>
          </Flex>
        </Box>
      ))}
      <Text fontWeight="650" mt="2.5" mb="1">
        What counts as what
      </Text>
      {rules.kinds.map((kind) => (
        <KindLine
          key={kind.kind}
          kind={kind}
          onChange={(severity) => set({ severity: { [kind.kind]: severity } })}
        />
      ))}
    </>
  );
}

function KindLine({ kind, onChange }: { kind: KindInfo; onChange: (severity: string) => void }) {
  return (
    <Flex align="center" gap="1" justify="space-between" py="0.5" title={kind.why}>
      <Text
        flex="1"
        lineHeight="1.2"
        fontSize="12.5px"
        fontWeight={kind.severity === kind.usual ? "400" : "700"}
      >
        {kind.title}
      </Text>
      <NativeSelect.Root size="xs" w="82px" flexShrink="0">
        <NativeSelect.Field
          px="1.5"
          h="22px"
          aria-label={`Severity of ${kind.title}`}
          value={kind.severity}
          onChange={(e) => onChange(e.target.value)}
        >
          {["error", "warning", "hint", "off"].map((severity) => (
            <option key={severity} value={severity}>
              {severity}
            </option>
          ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
    </Flex>
  );
}
