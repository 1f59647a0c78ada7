import { Box } from "@chakra-ui/react";
import type { SlipProps } from "./props";
import { useKept } from "../state";
import { FindingsPart } from "./FindingsPart";
import { ProofPart } from "./ProofPart";
import { RehearsalPart } from "./RehearsalPart";
import { RulesPart } from "./RulesPart";
import { Pages } from "./parts";

const PARTS = {
  Findings: FindingsPart,
  Rehearsal: RehearsalPart,
  Rules: RulesPart,
  Proof: ProofPart,
};
type Part = keyof typeof PARTS;

/** Prove has four pages: what was found, the rehearsal, by which rules, and the proof to hand off. */
export function ProveSlip(props: SlipProps) {
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
