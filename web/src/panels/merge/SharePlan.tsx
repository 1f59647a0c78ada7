import { useAction } from "../../api/actions/act";
import {
  Box,
  Button,
  CloseButton,
  Dialog,
  Flex,
  Input,
  NativeSelect,
  Portal,
  Text,
} from "@chakra-ui/react";
import { Plus } from "lucide-react";
import { useState, type DragEvent, type KeyboardEvent } from "react";
import type { Atlas, Job, PlanGroup, PlanObject, Project } from "../../api/client";
import {
  useCoverage,
  usePlanFigures,
  usePlanObjects,
  sharedOut,
  type Group,
} from "../../api/share";
import { sheetWidth } from "../../api/merge";
import * as format from "../../format";
import { asNow, by, finenessOf, kept, kindOf, moved, SIZES, sizeFor } from "./groups";

type Props = { project: Project; atlas: Atlas; jobs: Job[] };

/** Opens the plan of which objects share images. */
export function SharePlanButton(props: Props) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button
        size="xs"
        variant="outline"
        borderColor="petrol"
        color="petrol"
        mb="2"
        w="full"
        onClick={() => setOpen(true)}
        title="Drag objects between atlases and see what each choice costs and keeps, before anything changes"
      >
        Shared textures…
      </Button>
      {open && <SharePlan {...props} close={() => setOpen(false)} />}
    </>
  );
}

function SharePlan({ project, atlas, jobs, close }: Props & { close: () => void }) {
  const objects = usePlanObjects(project);
  const [changed, setChanged] = useState<Group[] | null>(null);
  const first = project.atlases.map((one) => ({
    id: one.id,
    name: one.name,
    size: sheetWidth(atlas),
  }));
  const groups = changed ?? asNow(objects ?? [], first);
  const figures = usePlanFigures(project, groups);
  const coverage = useCoverage(project, atlas, jobs, groups);
  const share = useAction("share-out");
  const at = new Map((objects ?? []).map((one) => [one.id, one]));
  const edit = (key: string, some: Partial<Group>) =>
    setChanged(groups.map((group) => (group.key === key ? { ...group, ...some } : group)));
  const move = (object: number, to: string) => setChanged(moved(groups, object, to));
  const step = (object: number, from: number, by: number) => {
    const to = groups[from + by];
    if (to) move(object, to.key);
  };
  const home = groups[0];
  const arrange = (word: (one: PlanObject) => string) => {
    const made = by(objects ?? [], home, word);
    setChanged([
      ...made,
      ...groups
        .filter((group) => group.atlas && group.key !== home.key)
        .map((group) => ({ ...group, objects: [] })),
    ]);
  };
  const nameless = groups.some((group) => group.objects.length && !group.name.trim());
  const same = groups.every((group) =>
    group.objects.every((id) => group.atlas > 0 && at.get(id)?.atlas === group.atlas),
  );
  return (
    <Dialog.Root
      open
      size="lg"
      onOpenChange={(e) => {
        if (!e.open) close();
      }}
    >
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="paper" maxW="1120px" data-testid="share-plan">
            <Dialog.Header pb="1">
              <Dialog.Title fontFamily="heading" fontSize="17px">
                Shared textures
              </Dialog.Title>
            </Dialog.Header>
            <Dialog.Body fontSize="12.5px" pb="2">
              <Flex gap="2" align="center" mb="2" wrap="wrap">
                <Text color="soft">
                  Each column becomes one set of textures. Drag objects, or move them with ← and →.
                  Nothing changes yet.
                </Text>
                <Flex gap="1.5" ms="auto">
                  {(
                    [
                      ["As it is", () => setChanged(null)],
                      ["By kind of material", () => arrange(kindOf)],
                      ["By fineness", () => arrange(finenessOf)],
                      ["All in one", () => arrange(() => "All")],
                    ] as const
                  ).map(([text, act]) => (
                    <Button
                      key={text}
                      size="2xs"
                      variant="outline"
                      borderColor="line"
                      disabled={!objects}
                      onClick={act}
                    >
                      {text}
                    </Button>
                  ))}
                  <Button
                    size="2xs"
                    variant="outline"
                    borderColor="line"
                    onClick={() =>
                      setChanged([
                        ...groups,
                        {
                          key: `n${Date.now()}`,
                          atlas: 0,
                          name: `Atlas ${groups.length + 1}`,
                          size: 1024,
                          objects: [],
                        },
                      ])
                    }
                  >
                    <Plus size={12} /> Atlas
                  </Button>
                </Flex>
              </Flex>
              <Flex gap="2" overflowX="auto" align="stretch" pb="1" minH="320px">
                {groups.map((group, k) => (
                  <Column
                    key={group.key}
                    group={group}
                    figures={figures?.[k]}
                    coverage={coverage(group.objects)}
                    objects={at}
                    edit={(some) => edit(group.key, some)}
                    drop={(object) => move(object, group.key)}
                    step={(object, by) => step(object, k, by)}
                  />
                ))}
                {!objects && <Text color="soft">Reading the materials …</Text>}
                {objects && !objects.length && (
                  <Text color="soft">There is no object in any atlas yet.</Text>
                )}
              </Flex>
            </Dialog.Body>
            <Dialog.Footer pt="1">
              {figures && <Together figures={figures} />}
              <Button size="sm" variant="outline" borderColor="line" onClick={close}>
                Leave as it is
              </Button>
              <Button
                size="sm"
                bg="petrol"
                color="onPetrol"
                disabled={same || nameless}
                loading={share.busy}
                onClick={() => share.run(sharedOut(groups), close)}
              >
                Share out like this
              </Button>
            </Dialog.Footer>
            <Dialog.CloseTrigger asChild>
              <CloseButton size="sm" />
            </Dialog.CloseTrigger>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}

type ColumnProps = {
  group: Group;
  figures: PlanGroup | undefined;
  coverage: number | null | undefined;
  objects: Map<number, PlanObject>;
  edit: (some: Partial<Group>) => void;
  drop: (object: number) => void;
  step: (object: number, by: number) => void;
};

function Column({ group, figures, coverage, objects, edit, drop, step }: ColumnProps) {
  const [over, setOver] = useState(false);
  const painted = figures?.painted ?? 0;
  const part = kept(painted, group.size, coverage);
  const take = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    const id = Number(event.dataTransfer.getData("text/plain"));
    if (id) drop(id);
  };
  const plan = figures?.plan;
  const rows: [string, string][] =
    !plan || !group.objects.length
      ? []
      : [
          ["objects", format.whole(group.objects.length)],
          ["materials", `${plan.materials.before} → ${plan.materials.after}`],
          ["textures", `${plan.maps.before} → ${plan.maps.after}`],
          ["draw calls", `${plan.draw_calls.before} → ${plan.draw_calls.after}`],
          ["as BC7", `${megabytes(plan.memory.before.bc7)} → ${megabytes(plan.memory.after.bc7)}`],
          ["texels painted", texels(painted)],
          [
            "tile filled",
            coverage === undefined
              ? "packing …"
              : coverage === null
                ? "–"
                : `${format.percent(coverage)} %`,
          ],
          ["density kept", part === null ? "–" : `${format.percent(part)} %`],
        ];
  return (
    <Flex
      direction="column"
      flex="0 0 216px"
      borderWidth="1px"
      borderColor={over ? "petrol" : "line"}
      borderRadius="6px"
      bg={over ? "sheet" : "panel"}
      p="2"
      data-testid="plan-column"
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={take}
    >
      <Flex gap="1.5" mb="1.5">
        <Input
          size="xs"
          value={group.name}
          readOnly={group.atlas > 0}
          aria-label="Name of the atlas"
          title={group.atlas ? "An atlas of this project" : "A new atlas"}
          onChange={(e) => edit({ name: e.target.value })}
          fontWeight="650"
        />
        <NativeSelect.Root size="xs" w="84px" flexShrink="0">
          <NativeSelect.Field
            aria-label={`Textures of ${group.name}, px`}
            px="1.5"
            value={group.size}
            onChange={(e) => edit({ size: Number(e.target.value) })}
          >
            {[...new Set([...SIZES, group.size])]
              .sort((a, b) => a - b)
              .map((size) => (
                <option key={size} value={size}>
                  {size} px
                </option>
              ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
      </Flex>
      {rows.map(([text, value]) => (
        <Flex key={text} justify="space-between" fontSize="12px">
          <Text color="soft">{text}</Text>
          <Text
            color={text === "density kept" && part !== null && part < 0.5 ? "amber" : undefined}
            fontWeight={text === "density kept" ? "650" : "400"}
          >
            {value}
          </Text>
        </Flex>
      ))}
      {part !== null && part < 0.98 && (
        <Button
          size="2xs"
          variant="plain"
          color="petrol"
          px="0"
          alignSelf="flex-start"
          onClick={() => edit({ size: sizeFor((painted * 0.7) / (coverage || 0.7)) })}
        >
          Enough px for all of it
        </Button>
      )}
      {group.objects.length > 0 &&
        figures?.warnings.map((text) => (
          <Flex key={text} gap="1" fontSize="11.5px" lineHeight="1.3" mt="1">
            <Text color="amber" aria-hidden>
              ◆
            </Text>
            <Text>{text}</Text>
          </Flex>
        ))}
      <Box
        as="ul"
        listStyleType="none"
        mt="2"
        flex="1"
        maxH="290px"
        overflowY="auto"
        aria-label={`Objects of ${group.name}`}
      >
        {group.objects
          .map((id) => objects.get(id))
          .map((one) => one && <Chip key={one.id} object={one} step={step} />)}
        {!group.objects.length && (
          <Text color="soft" fontSize="12px">
            Drop objects here.
          </Text>
        )}
      </Box>
    </Flex>
  );
}

function Chip({
  object,
  step,
}: {
  object: PlanObject;
  step: (object: number, by: number) => void;
}) {
  const press = (event: KeyboardEvent) => {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (by) {
      event.preventDefault();
      step(object.id, by);
    }
  };
  const odd = object.kinds.filter((kind) => kind !== "opaque");
  return (
    <Box as="li" mb="1">
      <Flex
        as="button"
        draggable
        w="full"
        textAlign="start"
        align="baseline"
        gap="1.5"
        px="1.5"
        py="0.5"
        borderWidth="1px"
        borderColor="line"
        borderRadius="4px"
        bg="paper"
        cursor="grab"
        fontSize="12px"
        _focusVisible={{ outline: "2px solid", outlineColor: "petrol" }}
        aria-label={`${object.name}; arrow left or right moves it to the next atlas`}
        title={`${object.materials.join(", ")}${object.parted ? " · lies in several atlases by parts; moving it puts it together" : ""}`}
        onKeyDown={press}
        onDragStart={(e: DragEvent) => e.dataTransfer.setData("text/plain", String(object.id))}
      >
        <Text truncate flex="1">
          {object.name}
        </Text>
        {(odd.length > 0 || object.repeats) && (
          <Text color="amber" fontSize="11px">
            {[...odd, ...(object.repeats ? ["repeats"] : [])].join(", ")}
          </Text>
        )}
        <Text color="soft" fontSize="11px" whiteSpace="nowrap">
          {object.painted >= 1 ? texels(object.painted) : "plain"}
        </Text>
      </Flex>
    </Box>
  );
}

function Together({ figures }: { figures: PlanGroup[] }) {
  const sum = (of: (plan: PlanGroup["plan"]) => number) =>
    figures.reduce((all, { plan }) => all + of(plan), 0);
  return (
    <Text me="auto" fontSize="12.5px" data-testid="plan-together">
      Together: {sum((p) => p.maps.before)} → <b>{sum((p) => p.maps.after)}</b> textures,{" "}
      {sum((p) => p.draw_calls.before)} → <b>{sum((p) => p.draw_calls.after)}</b> draw calls,{" "}
      {megabytes(sum((p) => p.memory.before.bc7))} →{" "}
      <b>{megabytes(sum((p) => p.memory.after.bc7))}</b> as BC7
    </Text>
  );
}

const texels = (count: number) =>
  count >= 1e5 ? `${(count / 1e6).toFixed(2)} M` : `${format.whole(count / 1e3)} k`;
const megabytes = (bytes: number) =>
  bytes >= 1e9 ? `${(bytes / 1e9).toFixed(1)} GB` : `${(bytes / 1e6).toFixed(1)} MB`;
