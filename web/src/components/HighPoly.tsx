import { useEffect, useMemo } from "react";
import { useThree } from "@react-three/fiber";
import { DoubleSide, GLSL3, ShaderMaterial, type BufferGeometry } from "three";
import { FINE_FRAGMENT, FINE_VERTEX } from "./modelShader";

/** The high poly mesh of a test bake, up to a column of the view in px. */
export function HighPoly({
  mesh,
  light,
  withoutTo,
}: {
  mesh: BufferGeometry;
  light: number;
  withoutTo: number;
}) {
  const { invalidate } = useThree();
  const material = useMemo(
    () =>
      new ShaderMaterial({
        vertexShader: FINE_VERTEX,
        fragmentShader: FINE_FRAGMENT,
        glslVersion: GLSL3,
        side: DoubleSide,
        uniforms: { uLight: { value: 0 }, uBareTo: { value: 0 } },
      }),
    [],
  );
  useEffect(() => () => material.dispose(), [material]);
  useEffect(() => {
    material.uniforms.uLight.value = (light * Math.PI) / 180;
    material.uniforms.uBareTo.value = withoutTo;
    invalidate();
  }, [material, light, withoutTo, invalidate]);
  return (
    <mesh geometry={mesh} material={material} raycast={() => undefined} frustumCulled={false} />
  );
}
