import { Box } from "@chakra-ui/react";
import type { Severity } from "../editor/findings/walk";

const SHAPES: Record<Severity, { path: string; colour: string }> = {
  error: { path: "M6 0.8 11.2 6 6 11.2 0.8 6Z", colour: "rose" },
  warning: { path: "M6 1 11.4 10.6H0.6Z", colour: "amber" },
  hint: { path: "M6 2.6a3.4 3.4 0 1 0 0.01 0Z", colour: "soft" },
};

/** Error, warning or hint by shape as well as by colour. */
export function SeverityMark({ severity, hollow }: { severity: Severity; hollow?: boolean }) {
  const { path, colour } = SHAPES[severity];
  return (
    <Box as="span" color={colour} flexShrink="0" lineHeight="0" role="img" aria-label={severity}>
      <svg style={{ width: 12, height: 12 }} viewBox="0 0 12 12">
        <path d={path} fill={hollow ? "none" : "currentColor"} stroke="currentColor" />
      </svg>
    </Box>
  );
}
