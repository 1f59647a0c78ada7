import {
  BufferAttribute,
  BufferGeometry,
  Camera,
  GLSL3,
  LineSegments,
  Mesh,
  Scene,
  ShaderMaterial,
  Texture,
  Vector2,
  Vector3,
  WebGLRenderer,
} from "three";
import type { TableCamera } from "../camera/TableCamera";
import type { BaseLayout } from "../layout/BaseLayout";
import { ISLAND_GLSL, MARK, PATTERN_GLSL, type IslandTextures } from "../style/islandTextures";

const VERTEX = /* glsl */ `
precision highp float;
precision highp int;
in float island;
in float stretch;
uniform vec2 uCentre;
uniform vec2 uPitch;
uniform vec2 uView;
uniform float uScale;
uniform vec3 uGestureX;
uniform vec3 uGestureY;
out vec2 vUv;
flat out vec4 vLook;
flat out float vStretch;
flat out vec2 vTexels;
${ISLAND_GLSL}
void main() {
  vUv = placed(island, uv);
  vLook = look(island);
  vStretch = stretch;
  vTexels = texels(island);
  vec2 at = onTable(island, vUv, uPitch);
  if (marked(vLook.a, ${MARK.moving})) at = vec2(dot(uGestureX, vec3(at, 1.0)), dot(uGestureY, vec3(at, 1.0)));
  vec2 p = (at - uCentre) * uScale * 2.0 / uView;
  gl_Position = marked(vLook.a, ${MARK.hidden}) ? vec4(2.0, 2.0, 2.0, 1.0) : vec4(p, 0.0, 1.0);
}`;

const FILL = /* glsl */ `
precision highp float;
precision highp int;
in vec2 vUv;
flat in vec4 vLook;
flat in float vStretch;
flat in vec2 vTexels;
uniform sampler2D uCovering;
uniform float uCovered;
uniform vec2 uRepeat;
uniform float uPerPx;
uniform float uUseStretch;
out vec4 outColour;
${ISLAND_GLSL}
${PATTERN_GLSL}
void main() {
  vec3 colour = uUseStretch > 0.5 ? stretchColour(vStretch) : vLook.rgb;
  if (uCovered > 0.5) colour = texture(uCovering, vUv * mix(vec2(1.0), vTexels, uPerPx) * uRepeat).rgb;
  colour = patterned(colour, vLook.a, gl_FragCoord.xy);
  if (marked(vLook.a, ${MARK.hovered})) colour = mix(colour, vec3(1.0), 0.28);
  outColour = vec4(colour, 0.94);
}`;

const EDGE = /* glsl */ `
precision highp float;
precision highp int;
in vec2 vUv;
flat in vec4 vLook;
uniform float uNight;
out vec4 outColour;
${ISLAND_GLSL}
void main() {
  vec3 ink = mix(vLook.rgb * 0.42, vLook.rgb * 0.3, uNight);
  if (marked(vLook.a, ${MARK.outside}) && fract((gl_FragCoord.x + gl_FragCoord.y) / 10.0) > 0.55) discard;
  if (marked(vLook.a, ${MARK.outside})) ink = vec3(0.72, 0.2, 0.16);
  outColour = vec4(ink, 1.0);
}`;

/** Draws all islands of the table in two draw calls; moving them only changes a texture. */
export class TableRenderer {
  private renderer: WebGLRenderer;
  private scene = new Scene();
  private camera = new Camera();
  private meshes: (Mesh | LineSegments)[] = [];
  private size = "";
  readonly uniforms = {
    uPlacements: { value: null as Texture | null },
    uLook: { value: null as Texture | null },
    uCovering: { value: null as Texture | null },
    uCovered: { value: 0 },
    uRepeat: { value: new Vector2(1, 1) },
    uPerPx: { value: 0 },
    uUseStretch: { value: 0 },
    uNight: { value: 0 },
    uCentre: { value: new Vector2() },
    uPitch: { value: new Vector2(1, 1) },
    uView: { value: new Vector2(1, 1) },
    uScale: { value: 1 },
    uGestureX: { value: new Vector3(1, 0, 0) },
    uGestureY: { value: new Vector3(0, 1, 0) },
  };

  private materials: ShaderMaterial[];

  constructor(canvas: HTMLCanvasElement) {
    this.renderer = new WebGLRenderer({
      canvas,
      alpha: true,
      antialias: true,
      premultipliedAlpha: false,
    });
    this.renderer.setClearColor(0x000000, 0);
    const common = {
      uniforms: this.uniforms,
      vertexShader: VERTEX,
      glslVersion: GLSL3,
      depthTest: false,
      transparent: true,
      side: 2 as const,
    };
    this.materials = [FILL, EDGE].map(
      (fragmentShader) => new ShaderMaterial({ ...common, fragmentShader }),
    );
    // The shaders are made ready while the layout is still on its way.
    const nothing = this.geometry(new Float32Array(0), new Int32Array(0), 3);
    this.meshes = [
      new Mesh(nothing, this.materials[0]),
      new LineSegments(nothing, this.materials[1]),
    ];
    this.scene.add(...this.meshes);
    this.renderer.compile(this.scene, this.camera);
  }

  load(base: BaseLayout, textures: IslandTextures): void {
    this.clear();
    this.uniforms.uPlacements.value = textures.placements;
    this.uniforms.uLook.value = textures.look;
    const fill = this.geometry(base.corners, base.triangleIsland, 3, base.stretch);
    const edge = this.geometry(base.edges, base.edgeIsland, 2);
    const faces = new Mesh(fill, this.materials[0]);
    const lines = new LineSegments(edge, this.materials[1]);
    lines.renderOrder = 1;
    this.meshes = [faces, lines];
    for (const mesh of this.meshes) {
      mesh.frustumCulled = false;
      this.scene.add(mesh);
    }
  }

  draw(camera: TableCamera, pitch: [number, number], pixelRatio: number): void {
    // Setting a size makes the image anew, even when it is the same.
    const size = `${camera.width} ${camera.height} ${pixelRatio}`;
    if (size !== this.size) {
      this.size = size;
      this.renderer.setPixelRatio(pixelRatio);
      this.renderer.setSize(camera.width, camera.height, false);
    }
    this.uniforms.uCentre.value.set(camera.x, camera.y);
    this.uniforms.uView.value.set(camera.width, camera.height);
    this.uniforms.uPitch.value.set(...pitch);
    this.uniforms.uScale.value = camera.scale;
    this.renderer.render(this.scene, this.camera);
  }

  dispose(): void {
    this.clear();
    this.materials.forEach((material) => material.dispose());
    this.renderer.dispose();
  }

  private geometry(
    points: Float32Array,
    islands: Int32Array,
    corners: number,
    stretch?: Float32Array,
  ): BufferGeometry {
    const geometry = new BufferGeometry();
    const island = new Float32Array(islands.length * corners);
    islands.forEach((number, i) => island.fill(number, i * corners, (i + 1) * corners));
    geometry.setAttribute("position", new BufferAttribute(new Float32Array(island.length * 3), 3));
    geometry.setAttribute("uv", new BufferAttribute(points, 2));
    geometry.setAttribute("island", new BufferAttribute(island, 1));
    const octaves = new Float32Array(islands.length * corners);
    stretch?.forEach((value, i) => octaves.fill(value, i * corners, (i + 1) * corners));
    geometry.setAttribute("stretch", new BufferAttribute(octaves, 1));
    return geometry;
  }

  /** Nothing lies on the table any more. */
  clear(): void {
    for (const mesh of this.meshes) {
      this.scene.remove(mesh);
      mesh.geometry.dispose();
    }
    this.meshes = [];
  }
}
