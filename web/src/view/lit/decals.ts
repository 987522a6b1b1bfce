import {
  AdditiveBlending,
  ClampToEdgeWrapping,
  Mesh,
  MeshStandardMaterial,
  MultiplyBlending,
  NoColorSpace,
  NormalBlending,
  type Object3D,
  SRGBColorSpace,
  type Texture,
  TextureLoader,
} from "three";

import { type Layer, type Lit, type Material, pictures } from "../../api/client";

const DECAL = "trasloco decal";
const TEXELS = 512;
const BLENDINGS = {
  over: NormalBlending,
  multiply: MultiplyBlending,
  add: AdditiveBlending,
  screen: AdditiveBlending,
};
type Lies = Layer["texture"];

/** Layers that lie otherwise than what is below them: one picture cannot show both. */
function apart(material: Material | undefined): Layer[] {
  const base = material?.inputs.find((input) => input.name === "base_color");
  return base && !base.layers_alike ? base.layers : [];
}

/** How a picture lies by UV: translation x rotation x scale, then stretched along v about the middle. */
function lay(texture: Texture, { offset, scale, rotation_rad, stretch, uv_set }: Lies, color: boolean) {
  const [c, s] = [Math.cos(rotation_rad ?? 0), Math.sin(rotation_rad ?? 0)];
  const [su, sv] = [scale?.[0] ?? 1, scale?.[1] ?? 1];
  const tall = stretch ?? 1;
  texture.matrixAutoUpdate = false;
  texture.matrix.set(
    su * c,
    sv * s,
    offset?.[0] ?? 0,
    -su * s * tall,
    sv * c * tall,
    0.5 + ((offset?.[1] ?? 0) - 0.5) * tall,
    0,
    0,
    1,
  );
  texture.flipY = false;
  texture.channel = Math.min(uv_set ?? 0, 3);
  texture.colorSpace = color ? SRGBColorSpace : NoColorSpace;
  texture.wrapS = texture.wrapT = ClampToEdgeWrapping;
  texture.anisotropy = 4;
}

/** Draws decals over the meshes that wear them; each a mesh of its own a hair before the model. Gives what takes them off again. */
export function withDecals(root: Object3D, move: number, lit: Lit, drawn: () => void): () => void {
  const byId = new Map(lit.materials.map((material) => [material.id, material]));
  const loader = new TextureLoader();
  const textures: Texture[] = [];
  const known = new Map<string, MeshStandardMaterial[]>();
  const loaded = (lies: Lies, channel: string, color: boolean) => {
    const texture = loader.load(pictures.image(move, lies.image, TEXELS, channel), drawn);
    lay(texture, lies, color);
    textures.push(texture);
    return texture;
  };
  const made = (id: string) => {
    const held = known.get(id);
    if (held) return held;
    const fresh = apart(byId.get(id)).map((layer) => {
      const one = new MeshStandardMaterial({
        map: loaded(layer.texture, "rgb", true),
        alphaMap: layer.mask ? loaded(layer.mask, layer.mask.channels ?? "r", false) : null,
        opacity: layer.weight,
        transparent: true,
        depthWrite: false,
        polygonOffset: true,
        polygonOffsetFactor: -1,
        polygonOffsetUnits: -4,
        blending: BLENDINGS[layer.blend ?? "over"],
        premultipliedAlpha: layer.blend === "multiply",
        roughness: 0.7,
      });
      if (layer.bounded)
        one.onBeforeCompile = (shader) => {
          shader.fragmentShader = shader.fragmentShader.replace(
            "#include <map_fragment>",
            "if (min(vMapUv.x, vMapUv.y) < 0.0 || max(vMapUv.x, vMapUv.y) > 1.0) discard;\n#include <map_fragment>",
          );
        };
      return one;
    });
    known.set(id, fresh);
    return fresh;
  };
  const worn: Mesh[] = [];
  root.traverse((object) => {
    if (!(object instanceof Mesh) || object.name === DECAL || typeof object.userData.slot !== "string")
      return;
    for (const material of made(object.userData.slot)) {
      const over = new Mesh(object.geometry, material);
      over.name = DECAL;
      over.renderOrder = 1;
      over.raycast = () => undefined;
      worn.push(over);
    }
    for (const over of worn.filter((one) => !one.parent && one.geometry === object.geometry))
      object.add(over);
  });
  return () => {
    for (const over of worn) over.removeFromParent();
    for (const materials of known.values()) for (const one of materials) one.dispose();
    for (const texture of textures) texture.dispose();
  };
}
