import { Box, Button, Flex, Heading, IconButton, Text } from "@chakra-ui/react";
import { OrbitControls } from "@react-three/drei";
import { Canvas, useFrame, useThree, type ThreeEvent } from "@react-three/fiber";
import { Focus, PanelRight, PictureInPicture2, RotateCw, X } from "lucide-react";
import { useEffect, useMemo, useRef } from "react";
import {
  Box3,
  BufferGeometry,
  DoubleSide,
  GLSL3,
  Matrix4,
  PerspectiveCamera,
  ShaderMaterial,
  Vector3,
} from "three";
import { useEditor } from "../api/hooks";
import type { ModelPlace } from "../room";
import type { Editor } from "../editor/Editor";
import type { Geometry } from "../editor/layout/readGeometry";
import { copyOf } from "../editor/render/copyOf";
import { spreadOut, type Groups, type Standing } from "../editor/surface/spread";
import { SIDES } from "../editor/view/ViewManager";
import { useUi } from "../state";
import { useLooked } from "../looked";
import { Before } from "./LookedAt";
import { Legend } from "./Legend";
import { PaintWipe } from "./PaintWipe";
import { PicksOnModel, Seams } from "./onModel";
import { ModelMenu } from "./ModelMenu";
import { HighPoly } from "./HighPoly";
import { Ruler, RulerProbe } from "./Ruler";
import { MODEL_FRAGMENT, MODEL_VERTEX } from "./modelShader";

/** The model: the same islands in the same colours, selected together. */
export function ModelView({
  place,
  put,
  goOn,
}: {
  /** On a page of its own it is moved nowhere; alone it floats where there is no room beside the table. */
  place: ModelPlace | "page" | "alone";
  put?: (place: ModelPlace) => void;
  goOn?: () => void;
}) {
  const editor = useEditor("document", "view", "looks", "maps");
  const ruler = useRef<HTMLDivElement>(null);
  return (
    <Box
      position="relative"
      rounded="lg"
      bg="panel"
      borderWidth="1px"
      borderColor="line"
      overflow="hidden"
      data-testid="model"
    >
      <Flex
        position="absolute"
        top="8px"
        left="12px"
        right="8px"
        justify="space-between"
        align="center"
        zIndex="1"
        pointerEvents="none"
      >
        <Heading
          as="h2"
          fontFamily="heading"
          fontSize="14px"
          bg="panel/80"
          rounded="4px"
          px="1"
          mx="-1"
        >
          Model
        </Heading>
        <Flex align="center" gap="1" pointerEvents="auto">
          <ModelMenu />
          <IconButton
            size="2xs"
            variant="ghost"
            aria-label="Show what is selected"
            title="Show what is selected (F)"
            onClick={() => editor.frameSelection()}
          >
            <Focus />
          </IconButton>
          {place === "docked" ? (
            <IconButton
              size="2xs"
              variant="ghost"
              aria-label="Let the model float"
              title="Small, in a corner of the table"
              onClick={() => put?.("floating")}
            >
              <PictureInPicture2 />
            </IconButton>
          ) : place === "page" ? null : (
            <IconButton
              size="2xs"
              variant="ghost"
              aria-label="Put the model into the next corner"
              title="Into the next corner"
              onClick={goOn}
            >
              <RotateCw />
            </IconButton>
          )}
          {place === "floating" && (
            <IconButton
              size="2xs"
              variant="ghost"
              aria-label="Dock the model"
              title="Beside the table"
              onClick={() => put?.("docked")}
            >
              <PanelRight />
            </IconButton>
          )}
          {put && (
            <IconButton
              size="2xs"
              variant="ghost"
              aria-label="Fold the model away"
              title="Fold the model away"
              onClick={() => put("away")}
            >
              <X />
            </IconButton>
          )}
        </Flex>
      </Flex>
      {(place === "docked" || place === "page") && (
        <Box
          position="absolute"
          bottom="6px"
          left="8px"
          right="8px"
          zIndex="1"
          pointerEvents="none"
          css={{ "& > *": { pointerEvents: "auto", width: "fit-content" } }}
        >
          <Legend />
        </Box>
      )}
      <Canvas
        frameloop="demand"
        dpr={[1, 2]}
        camera={{ fov: 32, position: [14, 9, 16] }}
        gl={{ antialias: true }}
        onPointerMissed={() => {
          if (editor.picks.mode === "islands") editor.select((s) => s.clear());
          else editor.picks.endPath();
        }}
      >
        {editor.document.geometry &&
          (editor.view.covering ? (
            <CoveredScene editor={editor} />
          ) : (
            <Scene
              editor={editor}
              version={editor.looks.signal.version + editor.maps.signal.version}
            />
          ))}
        <RulerProbe ruler={ruler} />
        <OrbitControls
          makeDefault
          enableDamping={false}
          onChange={() => useLooked.getState().moved("model")}
        />
      </Canvas>
      {editor.document.geometry && editor.standing === "in place" && <Ruler ruler={ruler} />}
      {editor.view.standing === null && editor.document.heaped && <Heaped />}
      <PaintWipe />
      <Before view="model" />
    </Box>
  );
}

/** Says why files stand elsewhere than they say, and puts them back. */
function Heaped() {
  const editor = useEditor();
  return (
    <Flex position="absolute" top="34px" left="12px" gap="2" align="center" fontSize="12px">
      <Text color="soft" title="All files stand at the origin, one in the other">
        files side by side
      </Text>
      <Button
        size="2xs"
        variant="outline"
        borderColor="line"
        bg="panel"
        onClick={() => editor.showModel({ standing: "in place" })}
      >
        In place
      </Button>
    </Flex>
  );
}

/** What covers the model moves over it while islands glide on the table; all other looks stay. */
function CoveredScene({ editor }: { editor: Editor }) {
  useEditor("frames");
  return <Scene editor={editor} version={editor.looks.frames.version} />;
}

function Scene({ editor, version }: { editor: Editor; version: number }) {
  const { invalidate, size, viewport } = useThree();
  const across = size.width * viewport.dpr;
  const material = useMemo(
    () =>
      new ShaderMaterial({
        vertexShader: MODEL_VERTEX,
        fragmentShader: MODEL_FRAGMENT,
        glslVersion: GLSL3,
        side: DoubleSide,
        // Seams lie on the faces, not in them.
        polygonOffset: true,
        polygonOffsetFactor: 1,
        polygonOffsetUnits: 1,
        uniforms: {
          uPlacements: { value: null },
          uLook: { value: null },
          uCovering: { value: null },
          uCovered: { value: 0 },
          uRepeat: { value: [1, 1] },
          uPerPx: { value: 0 },
          uTexture: { value: null },
          uUseTexture: { value: 0 },
          uTextureFrame: { value: [0, 0, 1, 1] },
          uPainted: { value: null },
          uPaintedTo: { value: 0 },
          uNormals: { value: null },
          uUseNormals: { value: 0 },
          uNormalsFrame: { value: [0, 0, 1, 1] },
          uNormalsOwn: { value: 0 },
          uLight: { value: 0 },
          uMip: { value: 0 },
          uBareTo: { value: 0 },
          uFine: { value: 0 },
          uUseStretch: { value: 0 },
          uThrough: { value: 0 },
        },
      }),
    [],
  );
  useEffect(() => () => material.dispose(), [material]);
  useEffect(() => {
    const u = material.uniforms;
    u.uPlacements.value = editor.looks.textures?.placements ?? null;
    u.uLook.value = editor.looks.textures?.look ?? null;
    const { covering } = editor.view;
    u.uCovering.value = covering?.texture ?? null;
    u.uCovered.value = covering ? 1 : 0;
    u.uRepeat.value = covering?.repeat ?? [1, 1];
    u.uPerPx.value = covering?.perPx ? 1 : 0;
    u.uTexture.value = editor.maps.texture;
    u.uTextureFrame.value = editor.maps.textureFrame;
    u.uUseTexture.value = editor.maps.texture ? 1 : 0;
    u.uPainted.value = editor.maps.painted;
    u.uPaintedTo.value =
      editor.maps.texture && editor.maps.painted ? editor.maps.view.paintedTo * across : 0;
    u.uNormals.value = editor.maps.normals;
    u.uUseNormals.value = editor.maps.normals ? 1 : 0;
    u.uNormalsFrame.value = editor.maps.normalsFrame;
    u.uNormalsOwn.value = editor.maps.normalsOwn ? 1 : 0;
    u.uLight.value = (editor.maps.view.light * Math.PI) / 180;
    u.uMip.value = editor.maps.view.mip;
    u.uBareTo.value =
      editor.maps.normals || editor.maps.texture ? editor.maps.view.withoutTo * across : 0;
    u.uFine.value = showsHighPoly(editor) ? 1 : 0;
    u.uUseStretch.value = editor.view.as === "stretch" ? 1 : 0;
    u.uThrough.value = editor.view.xray ? 1 : 0;
    material.transparent = editor.view.xray;
    material.depthWrite = !editor.view.xray;
    invalidate();
  }, [editor, material, version, invalidate, across]);
  const stage = useUi((ui) => ui.stage);
  const { geometry } = editor.document;
  const { standing } = editor;
  const matrices = useMemo(
    () => matricesOf(geometry!, standing, editor.document.fileOf),
    [geometry, standing, editor],
  );
  useFraming(editor, geometry!, matrices);
  const hover = useHover(editor);
  const { gl, scene, camera } = useThree();
  useEffect(() => {
    editor.images.set("model", () => {
      gl.render(scene, camera);
      return copyOf([gl.domElement]);
    });
    return () => {
      editor.images.delete("model");
    };
  }, [editor, gl, scene, camera]);
  useFrame(({ camera }) => {
    editor.view.eye = camera.position.toArray();
    editor.view.towards = camera.getWorldDirection(new Vector3()).negate().toArray();
  });
  const pick = (object: number) => (event: ThreeEvent<MouseEvent>) => {
    if (event.delta > 4) return;
    event.stopPropagation();
    if (editor.picks.mode !== "islands") {
      const t = event.faceIndex ?? -1;
      if (t >= 0)
        void editor.picks.click(
          object,
          t,
          event.object.worldToLocal(event.point.clone()).toArray(),
          { add: event.shiftKey || event.ctrlKey, double: event.detail > 1 },
        );
      return;
    }
    const island = islandOfFace(event);
    editor.select((selection) => {
      if (event.shiftKey || event.ctrlKey) selection.toggle(island >= 0 ? [island] : []);
      else selection.set(island >= 0 ? [island] : []);
    });
  };
  return (
    <>
      {geometry!.instances.map(({ geometry: mesh, object }, i) => (
        <mesh
          key={i}
          geometry={mesh}
          material={material}
          matrix={matrices[i]}
          matrixAutoUpdate={false}
          onClick={pick(object)}
          onPointerMove={hover}
          onPointerOut={() => editor.hover(-1)}
        />
      ))}
      {showsHighPoly(editor) && (
        <HighPoly
          mesh={editor.maps.highPoly!}
          light={editor.maps.view.light}
          withoutTo={editor.maps.view.withoutTo * across}
        />
      )}
      {stage === "Unwrap" &&
        geometry!.instances.map(({ geometry: mesh }, i) => (
          <Seams key={`s${i}`} mesh={mesh} matrix={matrices[i]} />
        ))}
      {stage === "Unwrap" &&
        geometry!.instances.map(({ object }, i) => (
          <PicksOnModel key={`p${i}`} object={object} matrix={matrices[i]} />
        ))}
    </>
  );
}

/** Whether the high poly mesh is shown left of the wipe: not where the objects stand apart. */
const showsHighPoly = ({ maps, standing }: Editor) =>
  maps.highPoly !== null &&
  maps.view.besideHighPoly &&
  maps.view.withoutTo > 0 &&
  standing === "in place" &&
  (maps.normals !== null || maps.texture !== null);

/** Where the instances stand: as in their files, or side by side. */
function matricesOf(geometry: Geometry, standing: Standing, fileOf: Groups): Matrix4[] {
  const apart =
    standing === "in place"
      ? new Map<number, Vector3>()
      : spreadOut(geometry, standing === "files apart" ? fileOf : undefined);
  return geometry.instances.map(({ matrix, object }) => {
    const by = apart.get(object);
    return by ? new Matrix4().makeTranslation(by.x, by.y, by.z).multiply(matrix) : matrix;
  });
}

/** Faces under the pointer light up their island on the table too, at most once an image. */
function useHover(editor: Editor) {
  const asked = useRef(0);
  return (event: ThreeEvent<PointerEvent>) => {
    event.stopPropagation();
    const island = islandOfFace(event);
    cancelAnimationFrame(asked.current);
    asked.current = requestAnimationFrame(() => editor.hover(island));
  };
}

function islandOfFace(event: ThreeEvent<MouseEvent>): number {
  const geometry = (event.object as unknown as { geometry: BufferGeometry }).geometry;
  const face = event.faceIndex ?? -1;
  return face < 0 ? -1 : (geometry.getAttribute("_island").array as Float32Array)[face * 3];
}

/** Corners in world space of the islands that are wanted, of all where none are. */
function boxOf(editor: Editor, drawn: Geometry, wanted: Set<number>, matrices: Matrix4[]): Box3 {
  const box = new Box3();
  const whole = wanted.size
    ? undefined
    : editor.document.info?.objects.find((o) => o.name === editor.view.focusObject)?.id;
  const point = new Vector3();
  for (const [i, { geometry, object }] of drawn.instances.entries()) {
    const matrix = matrices[i];
    if (whole !== undefined && object !== whole) continue;
    const position = geometry.getAttribute("position");
    const island = geometry.getAttribute("_island").array as Float32Array;
    for (let k = 0; k < position.count; k++) {
      if (wanted.size && !wanted.has(island[k])) continue;
      box.expandByPoint(point.fromBufferAttribute(position, k).applyMatrix4(matrix));
    }
  }
  return box;
}

/** How far from the middle of a box the eye must be to see all of it, looking along `way` from there. */
function distanceFor(box: Box3, way: Vector3, eye: PerspectiveCamera): number {
  const right = new Vector3().crossVectors(eye.up, way).normalize();
  const up = new Vector3().crossVectors(way, right);
  const high = Math.tan((eye.fov * Math.PI) / 360);
  const half = box.getSize(new Vector3()).multiplyScalar(0.5);
  let far = 1e-3;
  for (let k = 0; k < 8; k++) {
    const corner = new Vector3(k & 1 ? 1 : -1, k & 2 ? 1 : -1, k & 4 ? 1 : -1).multiply(half);
    const wide = Math.abs(corner.dot(right)) / eye.aspect;
    far = Math.max(far, corner.dot(way) + Math.max(wide, Math.abs(corner.dot(up))) / high);
  }
  return far;
}

/** `geometry` and `matrices` are of one drawing; the document may have gone on since. */
function useFraming(editor: Editor, geometry: Geometry, matrices: Matrix4[]) {
  const { camera, controls, invalidate } = useThree();
  const framed = useRef<{ objects: string; mark: string } | null>(null);
  useEffect(() => {
    const asked = editor.view.frameModel;
    const mark = `${asked}`;
    if (!controls) return;
    // Other layouts of the same objects are looked at from where one stands.
    const objects = geometry.instances.map(({ object }) => object).join();
    const fresh = framed.current?.objects !== objects;
    if (!fresh && framed.current?.mark === mark) return;
    framed.current = { objects, mark };
    const box = boxOf(
      editor,
      geometry,
      fresh ? new Set() : new Set(editor.selection.list()),
      matrices,
    );
    if (box.isEmpty()) return;
    const centre = box.getCenter(new Vector3());
    const eye = camera as PerspectiveCamera;
    const side = SIDES[editor.view.side];
    editor.view.side = "";
    const way = side
      ? new Vector3(...side).normalize()
      : fresh
        ? new Vector3(0.5, 0.38, 0.8).normalize()
        : eye.position
            .clone()
            .sub((controls as unknown as { target: Vector3 }).target)
            .normalize();
    // All of it fills the view; what is selected is seen with what is around it.
    const distance = distanceFor(box, way, eye) * (fresh || side ? 1.2 : 1.7);
    eye.position.copy(centre).addScaledVector(way, distance);
    eye.near = distance / 200;
    eye.far = distance * 40;
    eye.updateProjectionMatrix();
    (controls as unknown as { target: Vector3 }).target.copy(centre);
    (controls as unknown as { update: () => void }).update();
    invalidate();
  });
}
