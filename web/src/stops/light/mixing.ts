/** The sum of layers and the shared tone curve: the one computation that is done here, so that a slider answers at once. A test holds it equal to the core's. */

import { toSrgb } from "../../ui/color";

const LUMINANCE = [0.2126, 0.7152, 0.0722] as const;
const WHITE_POINT = 4;

/** Radiance of the sum, rgb a pixel, in nit. `layers` holds one picture after another. */
export function sum(layers: Float32Array, gains: readonly number[], pixels: number): Float32Array {
  const size = pixels * 3;
  const made = new Float32Array(size);
  gains.forEach((gain, layer) => {
    if (gain === 0) return;
    const start = layer * size;
    for (let k = 0; k < size; k++) made[k]! += gain * layers[start + k]!;
  });
  return made;
}

/** 8-bit RGBA of radiance at an exposure: L / (1.2 x 2^EV100), then extended Reinhard on luminance, then sRGB. */
export function developed(radiance: Float32Array, ev100: number): Uint8ClampedArray<ArrayBuffer> {
  const pixels = radiance.length / 3;
  const made = new Uint8ClampedArray(pixels * 4);
  const scale = 1 / (1.2 * 2 ** ev100);
  for (let p = 0; p < pixels; p++) {
    const rgb = [
      radiance[3 * p]! * scale,
      radiance[3 * p + 1]! * scale,
      radiance[3 * p + 2]! * scale,
    ] as const;
    const light = Math.max(LUMINANCE[0] * rgb[0] + LUMINANCE[1] * rgb[1] + LUMINANCE[2] * rgb[2], 1e-9);
    const mapped = (light * (1 + light / WHITE_POINT ** 2)) / (1 + light) / light;
    for (let k = 0; k < 3; k++)
      made[4 * p + k] = Math.round(toSrgb(Math.min(Math.max(rgb[k]! * mapped, 0), 1)) * 255);
    made[4 * p + 3] = 255;
  }
  return made;
}
