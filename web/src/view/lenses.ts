import {
  CanvasTexture,
  Color,
  DoubleSide,
  FrontSide,
  type Material as ThreeMaterial,
  MeshBasicMaterial,
  MeshStandardMaterial,
  NearestFilter,
  NoColorSpace,
  RepeatWrapping,
  ShaderMaterial,
  SRGBColorSpace,
  type Texture,
  TextureLoader,
} from "three";

import { type Material, type MaterialInput, pictures } from "../api/client";
import { DENSITY_ENDS, type Lens } from "./lensNames";

const loader = new TextureLoader();
const known = new Map<string, Texture>();

let users = 0;

/** Pictures are kept while any view is open, and let go of with the last. */
export function picturesInUse(): () => void {
  users += 1;
  return () => {
    users -= 1;
    if (users > 0) return;
    for (const texture of known.values()) texture.dispose();
    known.clear();
  };
}

interface Around {
  move: number;
  version: string;
  redraw: () => void;
  /** Texels of the largest image that a material reads by a UV set, times its repeats. */
  texels: (material: Material | undefined, set: number) => readonly [number, number];
}

function picture(around: Around, material: Material, input: MaterialInput, color: boolean): Texture {
  const address = pictures.input(
    around.move,
    material.id,
    input.name,
    `${around.version}${input.image ?? ""}${input.invert}`,
    256,
  );
  const found = known.get(address);
  if (found) return found;
  const texture = loader.load(address, around.redraw);
  texture.colorSpace = color ? SRGBColorSpace : NoColorSpace;
  texture.wrapS = texture.wrapT = RepeatWrapping;
  texture.flipY = false;
  texture.repeat.set(input.scale[0] ?? 1, input.scale[1] ?? 1);
  texture.offset.set(input.offset[0] ?? 0, input.offset[1] ?? 0);
  texture.rotation = input.rotation_rad;
  texture.anisotropy = 4;
  known.set(address, texture);
  return texture;
}

const find = (material: Material | undefined, name: string) =>
  material?.inputs.find((input) => input.name === name);
const value = (input: MaterialInput | undefined, fallback: number) => input?.factor[0] ?? fallback;
const color3 = (input: MaterialInput | undefined, fallback: number) =>
  new Color(input?.factor[0] ?? fallback, input?.factor[1] ?? fallback, input?.factor[2] ?? fallback);

/** Numbers alone, until it is known how it looks lit. */
function plain(material: Material | undefined, colored: boolean): ThreeMaterial {
  const base = find(material, "base_color");
  const made = new MeshStandardMaterial({
    side: material?.double_sided ? DoubleSide : FrontSide,
    vertexColors: colored && (base?.vertex_color ?? false),
  });
  made.color = base?.file ? new Color(0.5, 0.5, 0.5) : color3(base, 0.8);
  made.roughness = value(find(material, "roughness"), 1);
  return made;
}

const FACING_VERTEX = `varying vec3 vNormal; void main() { vNormal = normalize(normalMatrix * normal); gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }`;
/** Fronts are plain grey; backs are hatched in madder on paper, so that the meaning does not hang on colour. */
const FACING_FRAGMENT = `varying vec3 vNormal; void main() {
  float light = 0.55 + 0.45 * abs(normalize(vNormal).z);
  float stripe = step(0.5, fract((gl_FragCoord.x + gl_FragCoord.y) / 10.0));
  vec3 back = mix(vec3(0.95, 0.94, 0.92), vec3(0.60, 0.18, 0.25), stripe);
  gl_FragColor = vec4(gl_FrontFacing ? vec3(0.78, 0.77, 0.75) * light : back, 1.0);
}`;

const MARKED_FRAGMENT = `void main() {
  float stripe = step(0.5, fract((gl_FragCoord.x - gl_FragCoord.y) / 8.0));
  gl_FragColor = vec4(mix(vec3(0.98, 0.97, 0.96), vec3(0.60, 0.18, 0.25), stripe), 1.0);
}`;

/** Hatch of madder on paper for faces a finding is about, from both sides. */
export const markedMaterial = () =>
  new ShaderMaterial({
    vertexShader: FACING_VERTEX,
    fragmentShader: MARKED_FRAGMENT,
    side: DoubleSide,
    polygonOffset: true,
    polygonOffsetFactor: -2,
    polygonOffsetUnits: -2,
  });

const checkers = new Map<number, Texture>();
function checkerTexture(set: number): Texture {
  const held = checkers.get(set);
  if (held) return held;
  const canvas = document.createElement("canvas");
  canvas.width = canvas.height = 256;
  const pen = canvas.getContext("2d")!;
  for (let y = 0; y < 8; y++)
    for (let x = 0; x < 8; x++) {
      pen.fillStyle = (x + y) % 2 ? "#d8d6d0" : "#8d8b84";
      pen.fillRect(x * 32, y * 32, 32, 32);
      pen.fillStyle = "#22241f";
      pen.font = "12px monospace";
      pen.fillText(`${"ABCDEFGH"[y]}${x + 1}`, x * 32 + 7, y * 32 + 20);
    }
  const checker = new CanvasTexture(canvas);
  checkers.set(set, checker);
  checker.channel = set;
  checker.wrapS = checker.wrapT = RepeatWrapping;
  checker.flipY = false;
  checker.colorSpace = SRGBColorSpace;
  checker.magFilter = NearestFilter;
  return checker;
}

/** Paper-like greys and earths by number; the number itself is what tells IDs apart. */
export function idColor(number: number): string {
  const hue = (number * 137.508) % 360;
  return `hsl(${hue.toFixed(0)}, ${18 + (number % 3) * 7}%, ${44 + ((number * 7) % 5) * 9}%)`;
}

export interface Wish {
  lens: Lens;
  input: string;
  /** The UV set that is looked at, from 0. */
  set: number;
}

/** The name of a UV set's attribute. */
export const uvName = (set: number) => (set ? `uv${set}` : "uv");

/** Texels a metre on the surface: the wider the image and the larger its place on the UVs, the more. */
const DENSITY_VERTEX = `
attribute vec2 UV; varying vec2 vUv; varying vec3 vPlace; varying vec3 vNormal;
void main() {
  vUv = UV; vPlace = (modelMatrix * vec4(position, 1.0)).xyz; vNormal = normalize(normalMatrix * normal);
  gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
}`;
/** From paper at few to ink at many, a line at every doubling; what has no UVs is hatched. */
const DENSITY_FRAGMENT = `
uniform vec2 texels; uniform bool mapped; uniform vec2 ends; varying vec2 vUv; varying vec3 vPlace; varying vec3 vNormal;
void main() {
  vec2 across = dFdx(vUv) * texels, down = dFdy(vUv) * texels;
  float area = length(cross(dFdx(vPlace), dFdy(vPlace)));
  float doublings = 0.5 * log2(max(abs(across.x * down.y - across.y * down.x) / max(area, 1e-20), 1e-9));
  float share = clamp((doublings - ends.x) / (ends.y - ends.x), 0.0, 1.0);
  vec3 shown = mix(vec3(0.96, 0.95, 0.93), vec3(0.30, 0.09, 0.13), share) * (0.75 + 0.25 * abs(normalize(vNormal).z));
  float line = abs(fract(doublings + 0.5) - 0.5) / max(fwidth(doublings), 1e-6);
  // Where it is the same all over there is no line to draw.
  if (line < 0.8 && fwidth(doublings) < 0.5 && fwidth(doublings) > 0.002) shown = vec3(0.13);
  float stripe = step(0.5, fract((gl_FragCoord.x + gl_FragCoord.y) / 10.0));
  gl_FragColor = vec4(mapped ? shown : mix(vec3(0.95), vec3(0.60, 0.18, 0.25), stripe), 1.0);
}`;
function densityMaterial(set: number, mapped: boolean, texels: readonly [number, number]): ThreeMaterial {
  return new ShaderMaterial({
    vertexShader: DENSITY_VERTEX.replaceAll("UV;", `${uvName(set)};`).replace(
      "attribute vec2 uv;",
      "", // three declares the first set by itself
    ),
    fragmentShader: DENSITY_FRAGMENT,
    uniforms: {
      texels: { value: texels },
      mapped: { value: mapped },
      ends: { value: DENSITY_ENDS },
    },
    side: DoubleSide,
  });
}

/** The material of a mesh under a lens. */
export function materialFor(
  wish: Wish,
  material: Material | undefined,
  number: number,
  has: { colors: boolean; uvs: (set: number) => boolean },
  around: Around,
): ThreeMaterial {
  const colored = has.colors;
  switch (wish.lens) {
    case "facing":
      return new ShaderMaterial({
        vertexShader: FACING_VERTEX,
        fragmentShader: FACING_FRAGMENT,
        side: DoubleSide,
      });
    case "colors":
      return new MeshBasicMaterial({
        toneMapped: false,
        vertexColors: colored,
        color: colored ? "#ffffff" : "#e9e7e2",
        side: DoubleSide,
      });
    case "uv":
      return has.uvs(wish.set)
        ? new MeshBasicMaterial({ toneMapped: false, map: checkerTexture(wish.set), side: DoubleSide })
        : densityMaterial(0, false, [1, 1]);
    case "density":
      return densityMaterial(wish.set, has.uvs(wish.set), around.texels(material, wish.set));
    case "ids":
      return new MeshBasicMaterial({ toneMapped: false, color: idColor(number), side: DoubleSide });
    case "input": {
      const input = find(material, wish.input);
      if (!material || !input)
        return new MeshBasicMaterial({ toneMapped: false, color: "#8a8a86", wireframe: true });
      const isColor = input.factor.length === 3 && input.name !== "normal";
      if (input.file)
        return new MeshBasicMaterial({
          toneMapped: false,
          map: picture(around, material, input, isColor),
          side: DoubleSide,
        });
      const shown = isColor
        ? color3(input, 1)
        : new Color().setScalar(Math.min(1, Math.max(0, value(input, 0)))).convertSRGBToLinear();
      return new MeshBasicMaterial({ toneMapped: false, color: shown, side: DoubleSide });
    }
    default:
      return plain(material, colored);
  }
}
