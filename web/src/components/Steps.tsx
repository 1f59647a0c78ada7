import { useAction } from "../api/actions/act";
import { Box, CloseButton, Flex, Heading, IconButton, Input, Text } from "@chakra-ui/react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { FileDiff, Tag } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import type { Atlas, Step } from "../api/client";
import { useProject } from "../api/hooks";
import { useStepName, useSteps } from "../api/steps";
import * as format from "../format";
import { footOf, useRoom } from "../room";
import { useUi } from "../state";
import { StepDifferences } from "./StepDifferences";

const ROW = 54;

/** All steps on one thread, the newest on top: look what each brought, go back to one, give it a name. */
export function Steps({ projectId, atlas }: { projectId: number; atlas: Atlas }) {
  const { steps: open, setSteps } = useUi();
  return open ? <Thread projectId={projectId} atlas={atlas} close={() => setSteps(false)} /> : null;
}

type ThreadProps = { projectId: number; atlas: Atlas; close: () => void };

function Thread({ projectId, atlas, close }: ThreadProps) {
  const [against, setAgainst] = useState<Step>();
  const goToAction = useAction("go-to-step");
  const room = useRoom(useUi((ui) => ui.stage));
  const steps = useSteps(projectId);
  const list = [...(steps.data?.steps ?? [])].reverse();
  // The list may be older than the step that the project stands at: then none is marked until it is there.
  const change = useProject(projectId).data?.change;
  const here = list.findIndex((step) => step.id === change);
  const [at, setAt] = useState(-1);
  const scroller = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: list.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 8,
  });
  useEffect(() => {
    setAt(here);
    if (here >= 0) rows.scrollToIndex(here);
  }, [here, rows]);
  useEffect(() => scroller.current?.focus(), []);
  const move = (to: number) => {
    const next = Math.min(Math.max(to, 0), list.length - 1);
    setAt(next);
    rows.scrollToIndex(next);
  };
  const keys = (e: React.KeyboardEvent) => {
    if (e.target instanceof HTMLInputElement) return;
    if (e.key === "ArrowDown") move(at + 1);
    else if (e.key === "ArrowUp") move(at - 1);
    else if (e.key === "Home") move(0);
    else if (e.key === "End") move(list.length - 1);
    else if (e.key === "Enter" && list[at] && at !== here) goToAction.run(list[at].id);
    else if (e.key === "Escape") close();
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <Box
      role="dialog"
      aria-label="Steps"
      aria-busy={here < 0}
      position="fixed"
      top="88px"
      right="12px"
      bottom={`${footOf(room)}px`}
      w="330px"
      zIndex="10"
      bg="panel"
      borderWidth="1px"
      borderColor="line"
      rounded="lg"
      shadow="lg"
      display="flex"
      flexDirection="column"
      onKeyDown={keys}
    >
      <Flex px="4" pt="3" pb="1" align="baseline" gap="3">
        <Heading as="h2" fontFamily="heading" fontSize="18px">
          Steps
        </Heading>
        <Text color="soft">
          {list.length > 1 ? `${format.whole(list.length)}, the newest on top` : ""}
        </Text>
        <CloseButton size="xs" ml="auto" onClick={close} />
      </Flex>
      <Box
        ref={scroller}
        flex="1"
        overflowY="auto"
        pb="3"
        role="list"
        aria-label="Steps, the newest on top"
        tabIndex={0}
      >
        <Box role="presentation" position="relative" h={`${rows.getTotalSize()}px`}>
          {rows.getVirtualItems().map(({ index, start }) => (
            <Row
              key={list[index].id}
              step={list[index]}
              top={start}
              place={index === here ? "here" : index < here ? "ahead" : "behind"}
              marked={index === at}
              last={index === list.length - 1}
              projectId={projectId}
              compare={atlas.objects ? () => setAgainst(list[index]) : undefined}
              go={() => {
                setAt(index);
                if (index !== here) goToAction.run(list[index].id);
              }}
            />
          ))}
        </Box>
        {steps.isError && (
          <Text role="alert" color="rose" px="4">
            {steps.error.message}
          </Text>
        )}
      </Box>
      {against && (
        <StepDifferences atlas={atlas} step={against} close={() => setAgainst(undefined)} />
      )}
    </Box>
  );
}

type RowProps = {
  step: Step;
  top: number;
  place: "here" | "ahead" | "behind";
  marked: boolean;
  last: boolean;
  projectId: number;
  compare?: () => void;
  go: () => void;
};

function Row({ step, top, place, marked, last, projectId, compare, go }: RowProps) {
  const [naming, setNaming] = useState(false);
  const name = useStepName(projectId);
  const keep = (label: string) => {
    setNaming(false);
    if (label.trim() !== step.label) name.mutate({ step: step.id, label: label.trim() });
  };
  const figures = [
    step.coverage === null ? "" : `${format.percent(step.coverage)} % full`,
    step.density === null ? "" : `${format.densityIn(step.density)}`,
  ]
    .filter(Boolean)
    .join(" · ");
  return (
    <Flex
      id={`step-${step.id}`}
      role="listitem"
      aria-current={place === "here" ? "step" : undefined}
      position="absolute"
      top={`${top}px`}
      left="0"
      right="0"
      h={`${ROW}px`}
      pl="4"
      pr="2"
      gap="3"
      cursor="pointer"
      bg={marked ? "stripe" : undefined}
      _hover={{ bg: "stripe" }}
      onClick={go}
      data-step={step.verb}
    >
      <Box position="relative" w="14px" flexShrink="0" aria-hidden>
        {!last && (
          <Box
            position="absolute"
            top="22px"
            bottom="-12px"
            left="6px"
            borderLeftWidth="2px"
            borderStyle="dashed"
            borderColor={place === "ahead" ? "line" : "petrol"}
          />
        )}
        <Box
          position="absolute"
          top="8px"
          left="0"
          w="14px"
          h="14px"
          rounded="full"
          borderWidth="2px"
          zIndex="1"
          bg={place === "here" ? "straw" : "panel"}
          borderColor={place === "ahead" ? "line" : "petrol"}
        />
      </Box>
      <Box flex="1" minW="0" py="1" color={place === "ahead" ? "soft" : "ink"}>
        <Flex gap="2" align="baseline">
          <Text fontWeight={place === "here" ? "700" : "600"} whiteSpace="nowrap">
            {format.action(step.verb)}
          </Text>
          {naming ? (
            <Input
              size="2xs"
              h="20px"
              autoFocus
              defaultValue={step.label}
              maxLength={120}
              aria-label={`Name of the step ${format.action(step.verb)}`}
              placeholder="Name of this step"
              onClick={(e) => e.stopPropagation()}
              onBlur={(e) => keep(e.target.value)}
              onKeyDown={(e) => {
                if (e.key === "Enter") keep(e.currentTarget.value);
                if (e.key === "Escape") {
                  e.stopPropagation();
                  setNaming(false);
                }
              }}
            />
          ) : step.label ? (
            <Text px="1.5" rounded="sm" bg="straw/45" fontSize="12px" fontWeight="600" truncate>
              {step.label}
            </Text>
          ) : (
            <Text color="soft" fontSize="12px" truncate title={step.what}>
              {step.what}
            </Text>
          )}
        </Flex>
        <Flex color="soft" fontSize="12px" justify="space-between" gap="2">
          <Text truncate>{figures || (place === "ahead" ? "undone" : " ")}</Text>
          <Text whiteSpace="nowrap" title={new Date(step.created).toLocaleString("en-GB")}>
            {format.moment(step.created)}
          </Text>
        </Flex>
      </Box>
      {compare && place !== "here" && (
        <IconButton
          size="2xs"
          variant="ghost"
          mt="1"
          aria-label={`What differs from the step ${format.action(step.verb)}`}
          title="What differs between this step and now"
          onClick={(e) => {
            e.stopPropagation();
            compare();
          }}
        >
          <FileDiff size={13} />
        </IconButton>
      )}
      <IconButton
        size="2xs"
        variant="ghost"
        mt="1"
        aria-label={`Name the step ${format.action(step.verb)}`}
        title={
          step.label
            ? `${step.what || format.action(step.verb)}: give it another name`
            : "Give this step a name"
        }
        onClick={(e) => {
          e.stopPropagation();
          setNaming(true);
        }}
      >
        <Tag size={13} />
      </IconButton>
    </Flex>
  );
}
