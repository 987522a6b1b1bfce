import {
  DataTexture,
  DataUtils,
  EquirectangularReflectionMapping,
  HalfFloatType,
  LightProbe,
  LinearFilter,
  PMREMGenerator,
  RepeatWrapping,
  RGBAFormat,
  type Scene,
  SphericalHarmonics3,
  type Texture,
  Vector3,
  type WebGLRenderer,
} from "three";

import { type Lit, pictures } from "../../api/client";
import { drawnByCard } from "../card";
import type { Side } from "./useLit";

const [ROWS, COLUMNS] = [256, 512];

/** What surrounds a side: it lights, by reflection or, where that is too slow, softly; and it is seen behind it. */
export interface Surround {
  lights: Texture | null;
  probe: LightProbe | null;
  level: number;
  seen: Texture | null;
  seenLevel: number;
  letGo: () => void;
}

async function picture(move: number, side: Side, which: "surround" | "backdrop", version: string) {
  const answer = await fetch(pictures.surround(move, side, which, version));
  if (!answer.ok) throw new Error(`${answer.status}`);
  const texels = new Uint16Array(await answer.arrayBuffer());
  const made = new DataTexture(texels, COLUMNS, ROWS, RGBAFormat, HalfFloatType);
  made.mapping = EquirectangularReflectionMapping;
  made.wrapS = RepeatWrapping;
  made.magFilter = made.minFilter = LinearFilter;
  made.needsUpdate = true;
  return made;
}

/** Every so many texels are read for soft light. */
const STEP = 4;

/** Soft light from all around: the picture's spherical harmonics up to the second degree. */
function softLight(around: DataTexture, level: number): LightProbe {
  const texels = around.image.data as Uint16Array;
  const harmonics = new SphericalHarmonics3();
  const basis = new Array<number>(9).fill(0);
  const direction = new Vector3();
  let whole = 0;
  for (let row = STEP / 2; row < ROWS; row += STEP)
    for (let column = STEP / 2; column < COLUMNS; column += STEP) {
      const up = ((row + 0.5) / ROWS - 0.5) * Math.PI;
      const about = ((column + 0.5) / COLUMNS - 0.5) * 2 * Math.PI;
      direction.set(Math.cos(about) * Math.cos(up), Math.sin(up), Math.sin(about) * Math.cos(up));
      SphericalHarmonics3.getBasisAt(direction, basis);
      const share = Math.cos(up);
      whole += share;
      const at = 4 * (row * COLUMNS + column);
      const [r, g, b] = [0, 1, 2].map((k) => DataUtils.fromHalfFloat(texels[at + k]!) * level * share);
      harmonics.coefficients.forEach((one, k) =>
        one.add(new Vector3(r! * basis[k]!, g! * basis[k]!, b! * basis[k]!)),
      );
    }
  harmonics.coefficients.forEach((one) => one.multiplyScalar((4 * Math.PI) / whole));
  return new LightProbe(harmonics, 1);
}

/** Fetches what surrounds a side and prepares it for lighting. */
export async function surroundOf(gl: WebGLRenderer, move: number, side: Side, lit: Lit): Promise<Surround> {
  const around = lit.surround === null ? null : await picture(move, side, "surround", lit.version);
  const behind = lit.backdrop === null ? around : await picture(move, side, "backdrop", lit.version);
  let lights: Texture | null = null;
  if (around && drawnByCard()) {
    const maker = new PMREMGenerator(gl);
    lights = maker.fromEquirectangular(around).texture;
    maker.dispose();
  }
  return {
    lights,
    probe: around && !lights ? softLight(around, lit.surround ?? 1) : null,
    level: lit.surround ?? 1,
    seen: behind,
    seenLevel: lit.backdrop ?? lit.surround ?? 1,
    letGo: () => {
      lights?.dispose();
      around?.dispose();
      if (behind !== around) behind?.dispose();
    },
  };
}

/** Puts surroundings around a scene, or takes them away. */
export function surround(scene: Scene, around: Surround | null) {
  scene.environment = around?.lights ?? null;
  scene.environmentIntensity = around?.level ?? 1;
  scene.background = around?.seen ?? null;
  scene.backgroundIntensity = around?.seenLevel ?? 1;
}
