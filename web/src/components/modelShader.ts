import { ISLAND_GLSL, MARK, PATTERN_GLSL } from "../editor/style/islandTextures";

/** Light of the lamp that turns around the model. */
const LAMP_GLSL = /* glsl */ `
float lampLight(vec3 facing, vec3 view, float turn) {
  vec3 lamp = normalize(vec3(sin(turn), 0.45, cos(turn)));
  float gloss = pow(max(dot(facing, normalize(lamp + normalize(-view))), 0.0), 24.0);
  return 0.28 + 0.72 * max(dot(facing, lamp), 0.0) + 0.18 * gloss;
}`;

export const MODEL_VERTEX = /* glsl */ `
precision highp float;
precision highp int;
in float _island;
in float _stretch;
in vec3 paint;
uniform float uNormalsOwn;
out vec3 vPaint;
out vec3 vView;
out vec2 vUv;
flat out mat3 vTurn;
flat out vec4 vLook;
flat out float vHas;
flat out float vElsewhere;
flat out float vStretch;
flat out vec2 vTexels;
${ISLAND_GLSL}
void main() {
  vHas = _island >= 0.0 ? 1.0 : 0.0;
  vElsewhere = _island < -1.5 ? 1.0 : 0.0;
  vStretch = _stretch;
  vPaint = paint;
  vTurn = uNormalsOwn > 0.5 ? mat3(modelViewMatrix) : mat3(viewMatrix);
  vUv = vHas > 0.5 ? placed(_island, uv) : vec2(0.0);
  vTexels = vHas > 0.5 ? texels(_island) : vec2(1.0);
  vLook = vHas > 0.5 ? look(_island) : vec4(0.75, 0.74, 0.71, 0.0);
  vec4 view = modelViewMatrix * vec4(position, 1.0);
  vView = view.xyz;
  gl_Position = marked(vLook.a, ${MARK.hidden}) ? vec4(2.0, 2.0, 2.0, 1.0) : projectionMatrix * view;
}`;

export const FINE_VERTEX = /* glsl */ `
out vec3 vView;
out vec3 vNormal;
void main() {
  vec4 view = viewMatrix * vec4(position, 1.0);
  vView = view.xyz;
  vNormal = mat3(viewMatrix) * normal;
  gl_Position = projectionMatrix * view;
}`;

/** The high poly mesh, left of the wipe, in the light that falls on the low poly one. */
export const FINE_FRAGMENT = /* glsl */ `
in vec3 vView;
in vec3 vNormal;
uniform float uLight;
uniform float uBareTo;
out vec4 outColour;
${LAMP_GLSL}
void main() {
  if (gl_FragCoord.x >= uBareTo) discard;
  vec3 facing = normalize(vNormal);
  outColour = vec4(vec3(0.8, 0.78, 0.74) * lampLight(facing, vView, uLight), 1.0);
}`;

export const MODEL_FRAGMENT = /* glsl */ `
precision highp float;
precision highp int;
precision highp sampler2DArray;
in vec3 vView;
in vec3 vPaint;
in vec2 vUv;
flat in mat3 vTurn;
flat in vec4 vLook;
flat in float vHas;
flat in float vElsewhere;
flat in float vStretch;
flat in vec2 vTexels;
uniform float uUseStretch;
uniform float uThrough;
uniform sampler2D uCovering;
uniform float uCovered;
uniform vec2 uRepeat;
uniform float uPerPx;
uniform sampler2D uTexture;
uniform float uUseTexture;
uniform vec4 uTextureFrame;
uniform sampler2DArray uPainted;
uniform float uPaintedTo;
uniform sampler2D uNormals;
uniform float uUseNormals;
uniform vec4 uNormalsFrame;
uniform float uLight;
uniform float uMip;
uniform float uBareTo;
uniform float uFine;
vec4 laid(sampler2D map, vec4 frame) {
  vec2 at = (vUv - frame.xy) / frame.zw;
  return uMip > 0.0 ? textureLod(map, at, uMip) : texture(map, at);
}
out vec4 outColour;
${LAMP_GLSL}
${ISLAND_GLSL}
${PATTERN_GLSL}
void main() {
  if (uFine > 0.5 && gl_FragCoord.x < uBareTo) discard;
  vec3 normal = normalize(cross(dFdx(vView), dFdy(vView)));
  vec3 colour = uUseStretch > 0.5 && vHas > 0.5 ? stretchColour(vStretch) : vLook.rgb;
  if (uCovered > 0.5 && vHas > 0.5) colour = texture(uCovering, vUv * mix(vec2(1.0), vTexels, uPerPx) * uRepeat).rgb;
  if (uUseTexture > 0.5 && vHas > 0.5) colour = gl_FragCoord.x < uBareTo ? vec3(0.82, 0.8, 0.76) : laid(uTexture, uTextureFrame).rgb;
  if (gl_FragCoord.x < uPaintedTo) colour = texture(uPainted, vec3(vPaint.xy, floor(vPaint.z + 0.5))).rgb;
  if (vElsewhere > 0.5) colour = vec3(0.9, 0.88, 0.84);
  else if (vHas < 0.5 && fract((gl_FragCoord.x - gl_FragCoord.y) / 8.0) > 0.8) colour *= 0.7;
  if (uUseTexture < 0.5) colour = patterned(colour, vLook.a, gl_FragCoord.xy);
  float sun = dot(normal, normalize(vec3(0.4, 0.75, 0.55)));
  float light = 0.78 + 0.24 * sun;
  if (uUseNormals > 0.5 && vHas > 0.5) {
    vec3 facing = gl_FragCoord.x < uBareTo ? normal : normalize(vTurn * (laid(uNormals, uNormalsFrame).rgb * 2.0 - 1.0));
    colour = uUseTexture > 0.5 ? colour : vec3(0.8, 0.78, 0.74);
    light = lampLight(facing, vView, uLight);
  }
  colour *= light;
  if (marked(vLook.a, ${MARK.hovered})) colour = mix(colour, vec3(1.0), 0.25);
  if (marked(vLook.a, ${MARK.selected})) {
    float thread = fract((gl_FragCoord.x + gl_FragCoord.y) / 7.0);
    float dash = step(0.4, fract((gl_FragCoord.x - gl_FragCoord.y) / 14.0));
    colour = mix(colour, vec3(0.91, 0.76, 0.48), 0.35);
    if (thread < 0.2 && dash > 0.5) colour = vec3(0.12, 0.16, 0.27);
  }
  outColour = vec4(colour, uThrough < 0.5 || marked(vLook.a, ${MARK.selected}) ? 1.0 : 0.3);
}`;
