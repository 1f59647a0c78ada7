import { Box, Button, Flex, Text } from "@chakra-ui/react";
import { api, ask } from "../../api/client";
import { useEditor } from "../../api/hooks";
import {
  borderOf,
  edgeLoop,
  grown,
  mirrored,
  sameDirection,
  sameGroup,
  smoothFaces,
} from "../../editor/surfaceMesh/walks";
import type { Editor } from "../../editor/Editor";
import * as format from "../../format";
import { tellError, useKept, useUi } from "../../state";
import { NumberField } from "../parts";

/** How much is selected, in words. */
function pickedWords(editor: Editor): string {
  const { picks } = editor;
  const words = (count: number, one: string, many: string = `${one}s`) =>
    count ? [`${format.whole(count)} ${count === 1 ? one : many}`] : [];
  return [
    ...words(picks.count("faces"), "face"),
    ...words(picks.count("edges"), "edge"),
    ...words(picks.count("vertices"), "vertex", "vertices"),
  ].join(", ");
}

/** Length of the selected edges on the model, in metres of the file's unit. */
export function pickedLength(editor: Editor): number {
  return editor.picks.objects().reduce((sum, id) => {
    const surface = editor.picks.surface(id);
    return (
      sum +
      (surface
        ? [...editor.picks.of(id).edges].reduce((all, edge) => all + surface.length(edge), 0)
        : 0)
    );
  }, 0);
}

function Small({
  children,
  title,
  onClick,
  disabled,
}: {
  children: string;
  title: string;
  onClick: () => void;
  disabled?: boolean;
}) {
  return (
    <Button
      size="2xs"
      variant="outline"
      borderColor="line"
      title={title}
      onClick={onClick}
      disabled={disabled}
    >
      {children}
    </Button>
  );
}

/** What the selected edges can become: loops, a mirror image, the border of faces; all by angle. */
export function EdgeTools() {
  const editor = useEditor("picks", "selection", "document");
  const { picks } = editor;
  const [angle, setAngle] = useKept("select angle", 60);
  const some = picks.count("edges") > 0;
  const each = (work: (id: number) => void) => picks.objects().forEach(work);
  const chosen = () => objectsInHand(editor);
  return (
    <Box mb="2">
      <Flex gap="1" wrap="wrap" mb="1.5">
        <Small
          title="On along the loop of each selected edge (a double click does it for one)"
          disabled={!some}
          onClick={() =>
            each((id) => {
              const surface = picks.surface(id);
              if (surface)
                picks.change(
                  id,
                  "edges",
                  "add",
                  [...picks.of(id).edges].flatMap((edge) => edgeLoop(surface, edge, picks.through)),
                );
            })
          }
        >
          Loops
        </Small>
        {([0, 1, 2] as const).map((axis) => (
          <Small
            key={axis}
            title={`The mirror image too, left and right along ${"XYZ"[axis]} of the object`}
            disabled={!some}
            onClick={() =>
              each((id) => {
                const surface = picks.surface(id);
                if (surface)
                  picks.change(id, "edges", "add", mirrored(surface, picks.of(id).edges, axis));
              })
            }
          >{`Mirror ${"XYZ"[axis]}`}</Small>
        ))}
        <Small
          title="The border of the selected faces"
          disabled={!picks.count("faces")}
          onClick={() =>
            each((id) => {
              const surface = picks.surface(id);
              if (surface) picks.change(id, "edges", "add", borderOf(surface, picks.of(id).faces));
            })
          }
        >
          Round faces
        </Small>
        <Small
          title="The seams that these objects have now"
          disabled={!chosen().length}
          onClick={() =>
            chosen().forEach(
              (id) =>
                void picks.ready(id).then(
                  (surface) =>
                    surface &&
                    picks.change(
                      id,
                      "edges",
                      "add",
                      surface.seam.flatMap((seam, edge) =>
                        seam && !surface.border[edge] ? [edge] : [],
                      ),
                    ),
                ),
            )
          }
        >
          Present seams
        </Small>
        {channelNames(editor, chosen()).map((name, channel) => (
          <Small
            key={name}
            title={`The seams of this channel of the file`}
            onClick={() => chosen().forEach((id) => void seamsOf(editor, id, channel))}
          >{`Seams of ${name}`}</Small>
        ))}
        <Small
          title="Let go of all that is selected"
          disabled={!picks.some}
          onClick={() => picks.clear()}
        >
          Clear
        </Small>
      </Flex>
      <Flex gap="1" align="flex-end">
        <Box flex="1">
          <NumberField
            label="From"
            unit="°"
            value={angle}
            min={1}
            max={180}
            step={5}
            onChange={setAngle}
          />
        </Box>
        <Box mb="1.5">
          <Small
            title="Select all edges of the selected objects that turn by more"
            disabled={!chosen().length}
            onClick={() =>
              chosen().forEach(
                (id) =>
                  void picks.ready(id).then(
                    (surface) =>
                      surface &&
                      picks.change(
                        id,
                        "edges",
                        "add",
                        surface.ends.flatMap((_, edge) =>
                          !surface.border[edge] && surface.turn(edge) > (angle * Math.PI) / 180
                            ? [edge]
                            : [],
                        ),
                      ),
                  ),
              )
            }
          >
            Select
          </Small>
        </Box>
      </Flex>
    </Box>
  );
}

/** Names of the channels that all of these objects have in their files. */
function channelNames(editor: Editor, objects: number[]): string[] {
  const rows = (editor.document.info?.objects ?? []).filter((o) => objects.includes(o.id));
  if (!rows.length) return [];
  return rows[0].channels.slice(0, Math.min(...rows.map((o) => o.channels.length)));
}

/** Pick the edges that are seams in a channel of an object's file. */
async function seamsOf(editor: Editor, id: number, channel: number): Promise<void> {
  try {
    const [surface, told] = await Promise.all([
      editor.picks.ready(id),
      ask(
        api.GET("/api/objects/{object_id}/seams/", {
          params: { path: { object_id: id }, query: { channel } },
        }),
      ),
    ]);
    if (!surface) return;
    const found = (told.edges ?? [])
      .map((corner) => surface.edgeFrom(corner))
      .filter((edge) => edge >= 0);
    if (!found.length)
      useUi.getState().tell({
        kind: "done",
        what: "That channel has no seams on this object but the borders of its mesh.",
      });
    editor.picks.change(id, "edges", "add", found);
  } catch (error) {
    tellError(error);
  }
}

/** What the selected faces can become. */
export function FaceTools() {
  const editor = useEditor("picks", "selection", "document");
  const { picks } = editor;
  const [angle, setAngle] = useKept("smooth angle", 25);
  const some = picks.count("faces") > 0;
  const grouped = picks.objects().some((id) => picks.surface(id)?.corners.group);
  const each = (work: (id: number) => void) => picks.objects().forEach(work);
  return (
    <Box mb="2">
      <Flex gap="1" wrap="wrap" mb="1.5">
        <Small
          title="With the faces that touch them"
          disabled={!some}
          onClick={() =>
            each((id) => {
              const surface = picks.surface(id);
              if (surface)
                picks.change(id, "faces", "add", grown(surface, picks.of(id).faces, true));
            })
          }
        >
          Grow
        </Small>
        <Small
          title="Without those at the rim"
          disabled={!some}
          onClick={() =>
            each((id) => {
              const surface = picks.surface(id);
              if (!surface) return;
              const keep = new Set(grown(surface, picks.of(id).faces, false));
              picks.change(
                id,
                "faces",
                "remove",
                [...picks.of(id).faces].filter((face) => !keep.has(face)),
              );
            })
          }
        >
          Shrink
        </Small>
        <Small
          title="All faces of the islands that are touched"
          disabled={!some}
          onClick={() =>
            each((id) => {
              const surface = picks.surface(id);
              if (!surface) return;
              const touched = new Set(
                [...picks.of(id).faces].flatMap((face) =>
                  surface.triangles(face).map((t) => surface.island(t)),
                ),
              );
              picks.change(
                id,
                "faces",
                "add",
                [...surface.faces].filter((face) =>
                  surface.triangles(face).some((t) => touched.has(surface.island(t))),
                ),
              );
            })
          }
        >
          Islands
        </Small>
        <Small
          title="All other faces of the same objects"
          disabled={!some}
          onClick={() =>
            each((id) => {
              const surface = picks.surface(id);
              if (!surface) return;
              const own = new Set(picks.of(id).faces);
              picks.change(id, "faces", "remove", own);
              picks.change(
                id,
                "faces",
                "add",
                [...surface.faces].filter((face) => !own.has(face)),
              );
            })
          }
        >
          Others
        </Small>
        <Small
          title="Let go of all that is selected"
          disabled={!picks.some}
          onClick={() => picks.clear()}
        >
          Clear
        </Small>
      </Flex>
      <Box>
        <Box>
          <NumberField
            label="Up to"
            unit="°"
            value={angle}
            min={1}
            max={180}
            step={5}
            onChange={setAngle}
          />
        </Box>
        <Box mb="1.5" display="flex" flexWrap="wrap" gap="1">
          <Small
            title="All faces that hang together with them over edges that turn by less"
            disabled={!some}
            onClick={() =>
              each((id) => {
                const surface = picks.surface(id);
                if (surface)
                  picks.change(
                    id,
                    "faces",
                    "add",
                    [...picks.of(id).faces].flatMap((face) =>
                      smoothFaces(surface, face, (angle * Math.PI) / 180),
                    ),
                  );
              })
            }
          >
            Smooth area
          </Small>
          <Small
            title="All faces of the same objects that look the same way, up to that angle"
            disabled={!some}
            onClick={() =>
              each((id) => {
                const surface = picks.surface(id);
                const way = (angle * Math.PI) / 180;
                if (surface)
                  picks.change(id, "faces", "add", sameDirection(surface, picks.of(id).faces, way));
              })
            }
          >
            Same direction
          </Small>
          <Small
            title={
              grouped
                ? "All faces in the same groups of the file"
                : "The file has no groups in these objects"
            }
            disabled={!some || !grouped}
            onClick={() =>
              each((id) => {
                const surface = picks.surface(id);
                if (surface)
                  picks.change(id, "faces", "add", sameGroup(surface, picks.of(id).faces));
              })
            }
          >
            Same group
          </Small>
        </Box>
      </Box>
    </Box>
  );
}

/** Objects of selected faces and edges, else of the islands that are selected. */
export function objectsInHand(editor: Editor): number[] {
  const own = editor.picks.objects();
  if (own.length) return own;
  return [
    ...new Set(
      editor.selection.list().flatMap((island) => editor.document.objectOf(island)?.id ?? []),
    ),
  ];
}

export function PickedLine() {
  const editor = useEditor("picks", "selection");
  const words = pickedWords(editor);
  const islands = editor.selection.size;
  return (
    <Text fontSize="12.5px" color="soft" mb="1.5" role="status" data-testid="picked">
      {words
        ? `${words} selected`
        : islands
          ? `${format.whole(islands)} ${islands === 1 ? "island" : "islands"} selected`
          : "Nothing is selected."}
    </Text>
  );
}
