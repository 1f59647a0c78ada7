import { Box, Button, Flex, NativeSelect, Text } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { useRules } from "../api/check";
import type { PanelProps } from "./props";
import type { KindInfo } from "../api/client";
import { Drawing } from "../drawings/Drawing";
import * as format from "../format";
import { NumberInput, Title } from "./parts";

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
      <Rule
        of="gap"
        value={rules.mip_level}
        min={0}
        max={14}
        step={1}
        name="Gaps open to mip level"
        keep={(mip_level) => set({ mip_level })}
      >
        {(field) => (
          <>
            Gaps stay open down to mip level {field}
            {rules.mip_level > 0
              ? `, where a texel is ${2 ** rules.mip_level} px wide.`
              : ": only the padding counts."}
          </>
        )}
      </Rule>
      <Rule
        of="stretch"
        value={rules.stretch}
        min={1}
        max={100}
        step={0.05}
        name="Stretch L2 up to"
        keep={(stretch) => set({ stretch })}
      >
        {(field) => <>The L2 stretch of an island is at most {field}; 1 is none.</>}
      </Rule>
      <Rule
        of="skewed"
        value={rules.angle}
        min={1}
        max={100}
        step={0.1}
        name="Angles up to"
        keep={(angle) => set({ angle })}
      >
        {(field) => (
          <>Texels of an island are on average at most {field} times as long as they are wide.</>
        )}
      </Rule>
      <Rule
        of="sliver"
        value={rules.sliver}
        min={0}
        max={0.8}
        step={0.001}
        name="Sliver below"
        keep={(sliver) => set({ sliver })}
      >
        {(field) => (
          <>
            A triangle whose height is below {field} of its longest edge is a sliver
            {rules.sliver > 0 ? ` (1 : ${format.whole(Math.round(1 / rules.sliver))}).` : "."}
          </>
        )}
      </Rule>
      <Rule
        of="material gap"
        value={rules.material_gap}
        min={0}
        max={1024}
        step={1}
        name="Materials apart"
        keep={(material_gap) => set({ material_gap })}
      >
        {(field) => (
          <>
            Islands of different materials lie at least {field} px apart
            {rules.material_gap > 0 ? "." : ": as other islands do."}
          </>
        )}
      </Rule>
      <Rule
        of="shared block"
        value={rules.block}
        min={0}
        max={12}
        step={1}
        name="Blocks of compressed textures"
        keep={(block) => set({ block: Math.round(block) })}
      >
        {(field) => (
          <>
            Compressed blocks of {field} px hold texels of one island only
            {rules.block > 0
              ? "; packs keep their diagonal free."
              : " (4 for BC, 4 to 12 for ASTC; 0 does not look)."}
          </>
        )}
      </Rule>
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

type RuleProps = {
  /** The kind of finding that breaks it, for its drawing. */
  of: string;
  name: string;
  value: number;
  min: number;
  max: number;
  step: number;
  keep: (value: number) => void;
  children: (field: ReactNode) => ReactNode;
};

/** A rule as a sentence with its number in it, and a drawing of what breaks it. */
function Rule({ of, name, children, keep, ...field }: RuleProps) {
  return (
    <Flex
      gap="2"
      align="flex-start"
      py="1"
      borderBottomWidth="1px"
      borderColor="line"
      data-rule={name}
    >
      <Box pt="4px">
        <Drawing of={of} height={20} />
      </Box>
      <Text as="div" flex="1" fontSize="12.5px" lineHeight="1.75">
        {children(<NumberInput {...field} label={name} onChange={keep} inline />)}
      </Text>
    </Flex>
  );
}

function KindLine({ kind, onChange }: { kind: KindInfo; onChange: (severity: string) => void }) {
  return (
    <Flex align="center" gap="1" justify="space-between" py="0.5" title={kind.why}>
      <Drawing of={kind.kind} />
      <Text
        flex="1"
        ml="1"
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
