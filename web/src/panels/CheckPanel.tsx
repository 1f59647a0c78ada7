import { Box } from "@chakra-ui/react";
import type { PanelProps } from "./props";
import { useKept } from "../state";
import { FindingsPart } from "./FindingsPart";
import { ReportPart } from "./ReportPart";
import { TestBakePart } from "./TestBakePart";
import { RulesPart } from "./RulesPart";
import { Pages } from "./parts";

const PARTS = {
  Findings: FindingsPart,
  "Test bake": TestBakePart,
  Rules: RulesPart,
  Report: ReportPart,
};
type Part = keyof typeof PARTS;

/** Check has four pages: what was found, the test bake, by which rules, and the report to hand off. */
export function CheckPanel(props: PanelProps) {
  const [part, setPart] = useKept<Part>("check part", "Findings");
  const Shown = PARTS[part];
  return (
    <>
      <Pages label="Check" pages={Object.keys(PARTS) as Part[]} page={part} turn={setPart} />
      <Box role="tabpanel" aria-label={part}>
        <Shown {...props} />
      </Box>
    </>
  );
}
