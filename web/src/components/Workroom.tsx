import * as format from "../format";
import { ScopeContext, useActing, useAction } from "../api/actions/act";
import { Box, Center, Flex, Grid, Spinner, Text } from "@chakra-ui/react";
import { giveTextures, isImage } from "../api/merge";
import { layBehind, tileAt } from "../api/tileImages";
import { useWear, useWornImage } from "./OwnImage";
import { numberedSet } from "../editor/table/tiles";
import { useEffect, useLayoutEffect, useMemo, useState } from "react";
import type { Atlas } from "../api/client";
import { useAtlas, useJobs, useProject, useShownLayout } from "../api/hooks";
import { useAddress } from "../address";
import { editor, tellError, useUi } from "../state";
import { useQueryClient } from "@tanstack/react-query";
import { useLivePlacements } from "../api/arrange";
import { useReport } from "../api/check";
import { stepSeen } from "../api/step";
import { bringIn } from "../api/upload";
import { AtlasTabs } from "./AtlasTabs";
import { useRoom, useRooms } from "../room";
import { ConnectionBar } from "./ConnectionBar";
import { Drafts } from "./Drafts";
import { FirstScreen } from "./FirstScreen";
import { FLOATING_PX, FloatingModel, FoldedPanel, ObjectListStrip } from "./folded";
import { useLooked } from "../looked";
import { LookedAt } from "./LookedAt";
import { MaterialShelf } from "./MaterialShelf";
import { ObjectList } from "./ObjectList";
import { LateModel } from "./LateModel";
import { Palette } from "./Palette";
import { Steps } from "./Steps";
import { Shortcuts, useShortcuts } from "./Shortcuts";
import { Splitter } from "./Splitter";
import { TableView } from "./TableView";
import { TaskPanel } from "./TaskPanel";
import { useWidth } from "../width";
import { Tabs } from "../panels/parts";
import { TopBar } from "./TopBar";
import { VerdictBar } from "./VerdictBar";

type Props = { projectId: number; leave: () => void };

/** A project: what is done in it is about the atlas on the table. */
export function Workroom(props: Props) {
  const wanted = useUi((ui) => ui.atlas);
  const tabs = useProject(props.projectId).data?.atlases ?? [];
  const atlas = (tabs.find((tab) => tab.id === wanted) ?? tabs[0])?.id ?? 0;
  const scope = useMemo(() => ({ project: props.projectId, atlas }), [props.projectId, atlas]);
  return (
    <ScopeContext value={scope}>
      <Frame {...props} atlasId={atlas} />
    </ScopeContext>
  );
}

/** The frame: stages on top, verdict under it, panel, table, model, and the object list below. */
function Frame({ projectId, atlasId, leave }: Props & { atlasId: number }) {
  const { ask: move } = useAction("move");
  const project = useProject(projectId);
  const tabs = project.data?.atlases ?? [];
  const atlas = useAtlas(atlasId || undefined);
  const jobs = useJobs(projectId);
  const looked = useLooked((state) => state.draft);
  const layout = useShownLayout(looked ?? (atlas.data?.objects ? atlas.data.head : undefined));
  const acting = useActing();
  const upload = useUpload(projectId, atlas.data);
  useAddress(projectId);
  const setStage = useUi((ui) => ui.setStage);
  const stage = useUi((ui) => ui.stage);
  const room = useRoom(stage);
  const { change, resize } = useRooms();
  const width = useWidth();
  const [page, setPage] = useState<Page>("Table");
  /** The project without objects whose room was entered all the same. */
  const [entered, setEntered] = useState(0);
  /** Whether the model was called for in a narrow window. */
  const [called, setCalled] = useState(false);
  // In a narrow window the model stands beside nothing: it floats, or is called.
  const docked = room.model === "docked" && width === "wide";
  useEffect(() => {
    editor.onHeld = (islands) =>
      useUi.getState().tell({
        kind: "error",
        what:
          islands === 1
            ? "The island that is selected keeps its place, rotation or size."
            : `All ${islands} islands that are selected keep their place, rotation or size.`,
        fix: "Unlock it first (L for the place), or select others.",
      });
    editor.history.send = ({ verb, islands, moves, sideTable }) =>
      move({
        verb,
        islands: [...islands],
        moves: moves.map((m) => [...m]),
        side_table: sideTable ?? null,
      }).then((answer) => answer.head.id);
  }, [move]);
  const floats = width === "wide" ? room.model === "floating" : width === "narrow" && called;
  const atLeft = floats && room.corner.endsWith("left");
  useEffect(() => editor.setFloats(atLeft ? FLOATING_PX : 0), [atLeft]);
  useWornImage(atlas.data?.id ?? 0);
  useShortcuts(acting, project.data, atlas.data);
  useLayoutEffect(() => () => editor.clear(), []);
  useLivePlacements(jobs);
  useReport(atlas.data?.objects ? atlas.data.head.id : undefined);

  if (project.data) format.showDensitiesIn(project.data.density_unit);
  useEffect(() => {
    if (project.data)
      editor.setHouse({
        density: project.data.house_density,
        tolerance: project.data.tolerance,
        least: project.data.least_density,
        most: project.data.most_density,
        unit: project.data.density_unit,
      });
  }, [project.data]);
  const empty = atlas.data?.objects === 0;
  useEffect(() => {
    if (empty) editor.clear();
  }, [empty, atlas.data?.id]);
  useEffect(() => {
    if (empty && tabs.length === 1) setStage("Gather");
  }, [empty, tabs.length, setStage]);

  // What was there stays in sight when it cannot be asked for anew.
  const failed = [project, atlas, layout].find((query) => query.isError && !query.data);
  if (failed) {
    const { error } = failed;
    return (
      <Center h="100%">
        <Box role="alert" maxW="460px">
          <Text fontWeight="600">{error?.message}</Text>
        </Box>
      </Center>
    );
  }
  if (!project.data || !atlas.data)
    return (
      <Center h="100%" gap="3">
        <Spinner /> laying out the table
      </Center>
    );
  const first = project.data.objects === 0 && tabs.length === 1 && entered !== projectId;
  return (
    <Grid
      as="main"
      h="100%"
      templateColumns="minmax(0, 1fr)"
      templateRows={
        width === "pages" ? "42px 38px 34px minmax(0, 1fr)" : "50px 38px minmax(0, 1fr) auto"
      }
      bg="table"
      onDragOver={upload.over}
      onDragLeave={upload.out}
      onDrop={upload.drop}
    >
      <ConnectionBar />
      <TopBar project={project.data} atlas={atlas.data?.id ?? 0} jobs={jobs} leave={leave} />
      {first ? (
        <FirstScreen
          projectId={projectId}
          jobs={jobs}
          send={upload.send}
          enter={() => setEntered(projectId)}
        />
      ) : (
        <>
          <VerdictBar />
          {width === "pages" && (
            <Box px="12px" pt="4px">
              <Tabs label="Parts of the room" pages={PAGES} page={page} turn={setPage} />
            </Box>
          )}
          {width === "pages" && page !== "Table" && (
            <Box px="8px" pb="8px" minH="0" display="grid" role="tabpanel" aria-label={page}>
              {page === "Panel" && (
                <TaskPanel
                  project={project.data}
                  atlas={atlas.data}
                  jobs={jobs}
                  upload={upload.send}
                />
              )}
              {page === "Model" && <LateModel place="page" />}
              {page === "Objects" && <ObjectList project={project.data} atlas={atlas.data} />}
            </Box>
          )}
          <Flex
            px={width === "wide" ? "12px" : "8px"}
            pb={width !== "pages" && room.objectList ? "0" : "8px"}
            minH="0"
            minW="0"
            display={width === "pages" && page !== "Table" ? "none" : undefined}
          >
            {width === "pages" ? null : room.panel ? (
              <>
                <Box w={`${room.panelWidth}px`} flexShrink="0" minH="0" display="grid">
                  <TaskPanel
                    project={project.data}
                    atlas={atlas.data}
                    jobs={jobs}
                    upload={upload.send}
                    fold={() => change(stage, { panel: false })}
                  />
                </Box>
                <Splitter
                  name="Width of the panel"
                  size="panelWidth"
                  px={room.panelWidth}
                  grows="right"
                  resize={(px) => resize(stage, "panelWidth", px)}
                />
              </>
            ) : (
              <FoldedPanel stage={stage} open={() => change(stage, { panel: true })} />
            )}
            <Flex direction="column" minW="0" minH="0" flex="1">
              {tabs.length > 1 && <AtlasTabs project={project.data} here={atlas.data.id} />}
              <Flex flex="1" minH="0" minW="0" gap="10px">
                {stage === "Merge" && !empty && <MaterialShelf atlas={atlas.data} />}
                <TableView
                  atlas={atlas.data}
                  project={project.data}
                  jobs={jobs}
                  empty={empty}
                  numbers={stage === "Arrange" && room.objectList}
                  corner={room.corner}
                  floating={
                    width === "pages" || docked ? null : (
                      <FloatingModel
                        away={width === "wide" ? room.model === "away" : !called}
                        stage={stage}
                        mayDock={width === "wide"}
                        put={(model) =>
                          width === "wide"
                            ? change(stage, { model })
                            : setCalled(model === "floating")
                        }
                      />
                    )
                  }
                />
              </Flex>
            </Flex>
            {docked && (
              <>
                <Splitter
                  name="Width of the model"
                  size="modelWidth"
                  px={room.modelWidth}
                  grows="left"
                  resize={(px) => resize(stage, "modelWidth", px)}
                />
                <Box w={`${room.modelWidth}px`} flexShrink="0" minH="0" display="grid">
                  <LateModel place="docked" put={(model) => change(stage, { model })} />
                </Box>
              </>
            )}
          </Flex>
          <Box minH="0" minW="0" hidden={width === "pages"}>
            {width === "pages" ? null : room.objectList ? (
              <>
                <Splitter
                  name="Height of the object list"
                  size="objectListHeight"
                  px={room.objectListHeight}
                  grows="up"
                  resize={(px) => resize(stage, "objectListHeight", px)}
                />
                <Box
                  h={`${room.objectListHeight}px`}
                  maxH={width === "wide" ? "60vh" : "30vh"}
                  display="grid"
                >
                  <ObjectList
                    project={project.data}
                    atlas={atlas.data}
                    fold={() => change(stage, { objectList: false })}
                  />
                </Box>
              </>
            ) : (
              <ObjectListStrip
                numbers={stage === "Arrange" && !empty}
                open={() => change(stage, { objectList: true })}
              />
            )}
          </Box>
        </>
      )}
      <Shortcuts project={project.data} atlas={atlas.data} />
      <Palette project={project.data} atlas={atlas.data} />
      <Steps projectId={projectId} atlas={atlas.data} />
      <Drafts atlas={atlas.data} />
      <LookedAt key={atlas.data.id} />
      {upload.dragging && (
        <Center
          position="fixed"
          inset="12px"
          zIndex="15"
          bg="panel/90"
          borderWidth="3px"
          borderStyle="dashed"
          borderColor="petrol"
          rounded="xl"
          pointerEvents="none"
        >
          <Text fontFamily="heading" fontSize="24px">
            Drop meshes, their MTL and textures, or a zip
          </Text>
        </Center>
      )}
    </Grid>
  );
}

/** Where there is no room for all of them, panel, table, model and object list are pages. */
const PAGES = ["Panel", "Table", "Model", "Objects"] as const;
type Page = (typeof PAGES)[number];

/** Files in, by dialog or by drop. */
function useUpload(projectId: number, atlas: Atlas | undefined) {
  const [dragging, setDragging] = useState(false);
  const client = useQueryClient();
  const wear = useWear(atlas?.id ?? 0);
  const send = async (files: File[], metresPerUnit = 1) => {
    if (!files.length) return;
    if (atlas?.objects && files.every((file) => isImage(file.name)))
      return giveTextures(atlas.id, files, client);
    try {
      await bringIn(projectId, files, metresPerUnit, stepSeen(client, projectId));
      useUi.getState().tell({
        kind: "done",
        what: `${files.length} ${files.length === 1 ? "file" : "files"} brought in.`,
      });
    } catch (error) {
      tellError(error);
    }
    for (const key of ["atlas", "jobs", "project", "history"])
      void client.invalidateQueries({ queryKey: [key] });
  };
  return {
    dragging,
    send,
    over: (event: React.DragEvent) => {
      event.preventDefault();
      setDragging(true);
    },
    out: (event: React.DragEvent) => {
      if (event.relatedTarget === null) setDragging(false);
    },
    drop: (event: React.DragEvent) => {
      event.preventDefault();
      setDragging(false);
      const files = [...event.dataTransfer.files];
      const onModel = (event.target as Element).closest("[data-testid=model]") !== null;
      if (onModel && atlas?.objects && files.length === 1 && isImage(files[0].name))
        if (useUi.getState().stage !== "Merge") return wear(files[0]);
      // In Arrange an image is laid behind the sheet that it is dropped on, a numbered set behind
      // the tiles of its numbers.
      const images =
        atlas?.objects &&
        useUi.getState().stage === "Arrange" &&
        files.every((file) => isImage(file.name));
      const set = images && files.length > 1 ? numberedSet(files, editor.document.tiles) : null;
      const laid: [number, File][] =
        set?.laid ??
        (images && files.length === 1 ? [[tileAt(event.clientX, event.clientY), files[0]]] : []);
      if (!atlas || (!laid.length && !set)) return void send(files);
      void Promise.all(laid.map(([tile, file]) => layBehind(atlas.id, tile, file)))
        .then(() => {
          if (!set) return;
          const left = set.rest.map((file) => file.name).join(", ");
          useUi.getState().tell({
            kind: left ? "error" : "done",
            what:
              laid.length === 1
                ? "1 image lies behind its tile."
                : `${laid.length} images lie behind their tiles.`,
            ...(left ? { fix: `There is no tile for ${left}: add it, then drop them again.` } : {}),
          });
        })
        .catch(tellError)
        .finally(() => client.invalidateQueries({ queryKey: ["tile-images"] }));
    },
  };
}
