import { Box, Button, Flex, Input, Text } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import type { Project } from "../api/client";
import { useWatch } from "../api/watch";
import { Check } from "./parts";

/** A folder of this machine from which newer versions of the project's files come by themselves. */
export function WatchPart({ project }: { project: Project }) {
  const { now, watch, end } = useWatch(project);
  const [open, setOpen] = useState(false);
  const [path, setPath] = useState("");
  const [lines, setLines] = useState(false);
  useEffect(() => {
    if (now) {
      setPath(now.path);
      setLines(now.run_lines);
    }
  }, [now?.path, now?.run_lines]); // eslint-disable-line react-hooks/exhaustive-deps
  const set = () =>
    path.trim() &&
    watch.mutate({ path: path.trim(), run_lines: lines }, { onSuccess: () => setOpen(false) });
  return (
    <Box
      mt="2"
      borderTopWidth="1px"
      borderColor="line"
      pt="1.5"
      fontSize="12.5px"
      data-testid="watch"
    >
      {now && (
        <>
          <Flex align="center" gap="1">
            <Text flex="1" minW="0" truncate title={now.path}>
              Watching {now.path}
            </Text>
            <Button size="2xs" variant="ghost" px="1" color="petrol" onClick={() => end.mutate()}>
              end
            </Button>
          </Flex>
          <Text fontSize="12px" color={now.wrong ? "rose" : "soft"} role="status">
            {now.wrong || said(now)}
          </Text>
        </>
      )}
      {!now && !open && (
        <Button
          size="2xs"
          variant="plain"
          px="0"
          color="petrol"
          title="Newer versions of these files are brought in as soon as they are written"
          onClick={() => setOpen(true)}
        >
          Watch a folder for newer versions
        </Button>
      )}
      {(open || now) && (
        <Box mt="1">
          {!now && (
            <Input
              size="xs"
              mb="1.5"
              aria-label="Folder to watch"
              placeholder="/whole/path/of/the/folder"
              value={path}
              onChange={(e) => setPath(e.target.value)}
              onKeyDown={(e) => {
                if (e.key === "Enter") set();
              }}
            />
          )}
          <Check
            label="Then bring the run sheet up to date"
            value={lines}
            onChange={(on) => {
              setLines(on);
              if (now) watch.mutate({ path: now.path, run_lines: on });
            }}
          />
          {!now && (
            <Flex gap="1.5">
              <Button
                size="2xs"
                bg="petrol"
                color="onPetrol"
                disabled={!path.trim()}
                loading={watch.isPending}
                onClick={set}
              >
                Watch
              </Button>
              <Button
                size="2xs"
                variant="outline"
                borderColor="line"
                onClick={() => setOpen(false)}
              >
                Back
              </Button>
            </Flex>
          )}
        </Box>
      )}
    </Box>
  );
}

function said({
  watched,
  waiting,
  started,
}: {
  watched: number;
  waiting: string[];
  started: string;
}): string {
  if (started) return `Brings ${started} up to date.`;
  if (waiting.length)
    return `${waiting.length === 1 ? `A newer ${waiting[0]} waits` : `${waiting.length} newer files wait`}.`;
  return watched
    ? `${watched} ${watched === 1 ? "file is as it is" : "files are as they are"} there.`
    : "None of the project's files lies there.";
}
