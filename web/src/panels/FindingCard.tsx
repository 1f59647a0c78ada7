import { Box, Button, Flex, IconButton, Input, Text } from "@chakra-ui/react";
import { ChevronLeft, ChevronRight } from "lucide-react";
import { useState } from "react";
import type { Finding, KindInfo } from "../api/client";
import { useEditor } from "../api/hooks";
import type { Fixes } from "../api/check";
import { nextFinding, place, type Group } from "../editor/findings/walk";
import * as format from "../format";
import { SpotCrop } from "./SpotCrop";

const FIXES: Record<string, { one: string; all?: string }> = {
  mirror: { one: "Mirror back", all: "Mirror all back" },
  "move in": { one: "Move into the tile", all: "Move all in" },
  spread: { one: "Lay into free space", all: "Lay all into free space" },
  "house density": { one: "Give house density", all: "Give it to all" },
  stack: { one: "Stack them" },
  flatten: { one: "Unwrap the object", all: "Unwrap all these objects" },
};

type Props = {
  group: Group;
  finding: Finding;
  about: KindInfo | undefined;
  fixes: Fixes;
  ignore: (finding: Finding, reason: string) => void;
};

/** One finding: what, why, and what can be done; with steps to the next one. */
export function FindingCard({ group, finding, about, fixes, ignore }: Props) {
  const editor = useEditor("document", "figures");
  const [asking, setAsking] = useState(false);
  const at = group.findings.findIndex((f) => f.key === finding.key);
  const step = (by: 1 | -1) => editor.showFinding(nextFinding(group.findings, finding, by));
  const fix = FIXES[finding.fix];
  const alike = group.findings.filter((f) => f.fix === finding.fix && !f.ignored);
  const busy = fixes.busy || editor.figures.stale;
  return (
    <Box
      px="1"
      pb="2.5"
      mb="1"
      borderBottomWidth="1px"
      borderColor="line"
      data-finding={finding.key}
    >
      <Flex align="center" justify="space-between">
        <IconButton
          size="2xs"
          variant="ghost"
          aria-label="Finding before"
          title="Before (Shift+F3)"
          onClick={() => step(-1)}
        >
          <ChevronLeft />
        </IconButton>
        <Text fontSize="12px" color="soft">
          {at + 1} of {format.whole(group.findings.length)}
          {group.total > group.findings.length
            ? ` listed, ${format.whole(group.total)} in all`
            : ""}
        </Text>
        <IconButton
          size="2xs"
          variant="ghost"
          aria-label="Next finding"
          title="Next (F3)"
          onClick={() => step(1)}
        >
          <ChevronRight />
        </IconButton>
      </Flex>
      <Text fontWeight="650" lineHeight="1.3" mb="1">
        {place(finding)}
      </Text>
      <Flex gap="2" align="flex-start">
        <SpotCrop finding={finding} />
        <Text minW="0" lineHeight="1.3">
          {finding.text}.
        </Text>
      </Flex>
      {about && (
        <Text color="soft" fontSize="12.5px" lineHeight="1.35" mt="1">
          {about.why} {about.advice}
        </Text>
      )}
      {finding.ignored && (
        <Text fontSize="12.5px" mt="1">
          <b>Ignored:</b> {finding.ignored}
        </Text>
      )}
      <Flex gap="1.5" mt="2" wrap="wrap">
        {fix && !finding.ignored && (
          <Button
            size="2xs"
            bg="petrol"
            color="onPetrol"
            _hover={{ bg: "ink", color: "panel" }}
            disabled={busy}
            onClick={() => fixes.run(finding.fix, [finding])}
          >
            {fix.one}
          </Button>
        )}
        {fix?.all && alike.length > 1 && !finding.ignored && (
          <Button
            size="2xs"
            variant="outline"
            borderColor="petrol"
            disabled={busy}
            onClick={() => fixes.run(finding.fix, alike)}
          >
            {fix.all} ({format.whole(alike.length)})
          </Button>
        )}
        {finding.ignored ? (
          <Button
            size="2xs"
            variant="outline"
            borderColor="line"
            onClick={() => ignore(finding, "")}
          >
            Count it again
          </Button>
        ) : (
          !asking && (
            <Button size="2xs" variant="outline" borderColor="line" onClick={() => setAsking(true)}>
              Ignore…
            </Button>
          )
        )}
      </Flex>
      {asking && (
        <Reason
          close={() => setAsking(false)}
          keep={(reason) => {
            ignore(finding, reason);
            setAsking(false);
          }}
        />
      )}
    </Box>
  );
}

function Reason({ keep, close }: { keep: (reason: string) => void; close: () => void }) {
  const [reason, setReason] = useState("");
  return (
    <Box mt="2">
      <Input
        size="2xs"
        autoFocus
        placeholder="Why does it not count?"
        aria-label="Reason to ignore"
        value={reason}
        maxLength={200}
        onChange={(e) => setReason(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === "Enter" && reason.trim()) keep(reason.trim());
          if (e.key === "Escape") close();
        }}
      />
      <Flex gap="1.5" mt="1.5">
        <Button
          size="2xs"
          variant="outline"
          borderColor="line"
          disabled={!reason.trim()}
          onClick={() => keep(reason.trim())}
        >
          Ignore with this reason
        </Button>
        <Button size="2xs" variant="ghost" onClick={close}>
          Cancel
        </Button>
      </Flex>
    </Box>
  );
}
