import { useAction } from "../api/actions/act";
import {
  Box,
  Button,
  Flex,
  Heading,
  IconButton,
  NativeSelect,
  Popover,
  Portal,
  Progress,
  Text,
} from "@chakra-ui/react";
import { HelpCircle, History, Moon, Redo2, Sun, Undo2 } from "lucide-react";
import { Fragment } from "react";
import type { Job, Project } from "../api/client";
import { isActive } from "../api/hooks";
import { useMe } from "../api/people";
import * as format from "../format";
import { STAGES, useUi, type Stage } from "../state";
import { useWidth } from "../width";
import { Notes } from "./Notes";
import { People } from "./People";
import { WhoIsHere } from "./WhoIsHere";

type Props = { project: Project; atlas: number; jobs: Job[]; leave: () => void };

export function TopBar({ project, atlas, jobs, leave }: Props) {
  const undoAction = useAction("undo");
  const redoAction = useAction("redo");
  // Where people are shown all else stands closer.
  const close = useMe().data?.accounts ?? false;
  const width = useWidth();
  const { stage, setStage, theme, toggleTheme, setHelp, steps, setSteps } = useUi();
  return (
    <Flex
      as="header"
      align="center"
      px={{ base: "8px", xl: "16px" }}
      bg="panel"
      borderBottomWidth="1px"
      borderColor="line"
      gap={{ base: "1", xl: close ? "2" : "4" }}
    >
      <Heading
        as="h1"
        fontFamily="heading"
        fontSize={{ base: "17px", xl: "20px" }}
        fontWeight="700"
        whiteSpace="nowrap"
      >
        <Box as="button" cursor="pointer" onClick={leave} title="Home">
          {width === "pages" ? <abbr title="Untold Quilt">UQ</abbr> : "Untold Quilt"}
        </Box>
      </Heading>
      <Button
        variant="plain"
        size="sm"
        px="1"
        color="ink"
        fontWeight="400"
        fontSize="13px"
        maxW={{ base: "110px", xl: close ? "120px" : "170px" }}
        minW="0"
        onClick={leave}
        title="All projects"
      >
        <Text truncate>{project.name}</Text>
      </Button>
      {width !== "wide" && (
        <Box as="nav" aria-label="Stages" flex="1" maxW="190px">
          <NativeSelect.Root size="xs">
            <NativeSelect.Field
              aria-label="Stage"
              fontWeight="600"
              value={stage}
              onChange={(e) => setStage(e.target.value as Stage)}
            >
              {STAGES.map((name, k) => (
                <option key={name} value={name}>
                  {k + 1} · {name}
                </option>
              ))}
            </NativeSelect.Field>
            <NativeSelect.Indicator />
          </NativeSelect.Root>
        </Box>
      )}
      <Flex
        as="nav"
        aria-label="Stages"
        display={width === "wide" ? undefined : "none"}
        flex="1"
        justify="center"
        align="center"
        gap={close ? "0" : "1"}
      >
        {STAGES.map((name, i) => (
          <Fragment key={name}>
            {i > 0 && (
              <Box
                w="10px"
                hideBelow="2xl"
                borderTopWidth="2px"
                borderStyle="dashed"
                borderColor="line"
                aria-hidden
              />
            )}
            <Button
              size="sm"
              h="36px"
              rounded="full"
              px={{ base: "1.5", xl: close ? "1.5" : "2" }}
              gap={close ? "1" : "1.5"}
              fontSize="13.5px"
              variant="plain"
              aria-current={stage === name ? "step" : undefined}
              bg={stage === name ? "ink" : "transparent"}
              color={stage === name ? "panel" : "ink"}
              fontWeight={stage === name ? "600" : "400"}
              _hover={stage === name ? {} : { bg: "stripe" }}
              onClick={() => setStage(name)}
            >
              <Box
                as="span"
                hideBelow="xl"
                w="20px"
                h="20px"
                rounded="full"
                borderWidth="1.5px"
                borderStyle="dashed"
                borderColor={stage === name ? "straw" : "soft"}
                color={stage === name ? "panel" : "soft"}
                fontSize="11px"
                lineHeight="17px"
                textAlign="center"
              >
                {i + 1}
              </Box>
              {name}
            </Button>
          </Fragment>
        ))}
      </Flex>
      <Flex align="center" gap={width === "wide" ? "1" : "0"} ml="auto">
        <IconButton
          aria-label="Undo"
          title={`Undo ${format.action(project.undo)} (Ctrl+Z)`}
          size="xs"
          variant="ghost"
          disabled={!project.undo || undoAction.busy}
          onClick={() => undoAction.run()}
        >
          <Undo2 />
        </IconButton>
        <IconButton
          aria-label="Redo"
          title={`Redo ${format.action(project.redo)} (Ctrl+Shift+Z)`}
          size="xs"
          variant="ghost"
          disabled={!project.redo || redoAction.busy}
          onClick={() => redoAction.run()}
        >
          <Redo2 />
        </IconButton>
        <IconButton
          aria-label="Steps"
          title="All steps: look back, go back (H)"
          size="xs"
          variant="ghost"
          aria-pressed={steps}
          onClick={() => setSteps(!steps)}
        >
          <History />
        </IconButton>
        <JobTray jobs={jobs} />
        <WhoIsHere project={project} atlas={atlas} />
        <Notes project={project} atlas={atlas} />
        <People project={project} />
        <IconButton
          aria-label={theme === "paper" ? "Night theme" : "Paper theme"}
          title={theme === "paper" ? "Night theme" : "Paper theme"}
          size="xs"
          variant="ghost"
          onClick={toggleTheme}
        >
          {theme === "paper" ? <Moon /> : <Sun />}
        </IconButton>
        <IconButton
          aria-label="Shortcuts"
          title="Shortcuts (?)"
          size="xs"
          variant="ghost"
          onClick={() => setHelp(true)}
        >
          <HelpCircle />
        </IconButton>
      </Flex>
    </Flex>
  );
}

function JobTray({ jobs }: { jobs: Job[] }) {
  const active = jobs.filter(isActive);
  const mean =
    active.reduce((sum, job) => sum + (job.progress ?? 0), 0) / Math.max(active.length, 1);
  return (
    <Popover.Root positioning={{ placement: "bottom-end" }}>
      <Popover.Trigger asChild>
        <Button size="xs" variant="outline" borderColor="line" minW="72px" px="2" fontWeight="400">
          {active.length
            ? `${active.length} ${active.length === 1 ? "job" : "jobs"} · ${Math.round(100 * mean)} %`
            : "no jobs"}
        </Button>
      </Popover.Trigger>
      <Portal>
        <Popover.Positioner>
          <Popover.Content bg="panel" w="320px">
            <Popover.Body p="3">
              {jobs.length === 0 && (
                <Text color="soft">Long work shows up here, with its progress.</Text>
              )}
              {jobs.slice(0, 6).map((job) => (
                <Box key={job.id} py="1.5" borderBottomWidth="1px" borderColor="line">
                  <Flex justify="space-between" gap="2">
                    <Text fontWeight="600">{format.action(job.kind)}</Text>
                    <Text color={job.state === "failed" ? "rose" : "soft"}>{job.state}</Text>
                  </Flex>
                  {isActive(job) ? (
                    <JobLine job={job} />
                  ) : (
                    <Text color="soft" fontSize="12px" lineClamp="2">
                      {job.message}
                    </Text>
                  )}
                </Box>
              ))}
            </Popover.Body>
          </Popover.Content>
        </Popover.Positioner>
      </Portal>
    </Popover.Root>
  );
}

/** Progress of a running job with its ways to stop. */
export function JobLine({ job }: { job: Job }) {
  const cancelAction = useAction("cancel");
  const stopping = Boolean(job.cancel);
  return (
    <Box>
      <Progress.Root
        value={Math.max(2, 100 * (job.progress ?? 0))}
        size="xs"
        my="1.5"
        aria-label={`Progress of ${format.action(job.kind)}`}
      >
        <Progress.Track bg="line">
          <Progress.Range bg="petrol" />
        </Progress.Track>
      </Progress.Root>
      <Text color="soft" fontSize="12px">
        {job.message} · {Math.round(100 * (job.progress ?? 0))} %
      </Text>
      <Flex gap="2" mt="1">
        {job.kind === "pack" && (
          <Button
            size="2xs"
            variant="outline"
            disabled={stopping}
            onClick={() => cancelAction.run({ job: job.id, keep: true })}
          >
            Stop, keep the best
          </Button>
        )}
        <Button
          size="2xs"
          variant="outline"
          disabled={stopping}
          onClick={() => cancelAction.run({ job: job.id, keep: false })}
        >
          Cancel
        </Button>
      </Flex>
    </Box>
  );
}
