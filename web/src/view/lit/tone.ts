import { CustomToneMapping, NoToneMapping, ShaderChunk, type WebGLRenderer } from "three";

import { useThree } from "@react-three/fiber";
import { useLayoutEffect } from "react";

/** The core's tone curve: extended Reinhard on luminance, white at four times saturation. */
ShaderChunk.tonemapping_pars_fragment = ShaderChunk.tonemapping_pars_fragment.replace(
  "vec3 CustomToneMapping( vec3 color ) { return color; }",
  `vec3 CustomToneMapping( vec3 color ) {
  color *= toneMappingExposure;
  float light = max( dot( color, vec3( 0.2126, 0.7152, 0.0722 ) ), 1e-9 );
  return clamp( color * ( 1.0 + light / 16.0 ) / ( 1.0 + light ), 0.0, 1.0 );
}`,
);

function develop(gl: WebGLRenderer, ev100: number | null) {
  gl.toneMapping = ev100 === null ? NoToneMapping : CustomToneMapping;
  gl.toneMappingExposure = ev100 === null ? 1 : 1 / (1.2 * 2 ** ev100);
}

/** Radiance in nit through exposure and the curve of proofs; without an exposure as it is. */
export function useExposure(ev100: number | null) {
  const { gl, invalidate } = useThree();
  useLayoutEffect(() => {
    develop(gl, ev100);
    invalidate();
    return () => develop(gl, null);
  }, [gl, ev100, invalidate]);
}
