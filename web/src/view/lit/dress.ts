import {
  BackSide,
  Color,
  DoubleSide,
  FrontSide,
  type Material as ThreeMaterial,
  Mesh,
  MeshPhysicalMaterial,
  type Object3D,
  type Side as ThreeSide,
  Vector2,
} from "three";

import type { Lit, Material } from "../../api/client";
import type { Textures } from "./textures";

const BACK = "trasloco back";

/** A material for a live view; numbers and pictures as the core says them. */
function litMaterial(
  material: Material,
  textures: Textures | null,
  side: ThreeSide,
  colored: boolean,
  reflecting: boolean,
): ThreeMaterial {
  const find = (name: string) => material.inputs.find((input) => input.name === name);
  const map = (name: string, color = false) => textures?.of(material.id, find(name), color) ?? null;
  const number = (name: string, fallback: number) => {
    const input = find(name);
    // A picture holds the number that is multiplied in.
    return input && !(input.image && textures) ? (input.factor[0] ?? Infinity) : fallback;
  };
  const color = (name: string, fallback: number) => {
    const input = find(name);
    if (input?.image && textures) return new Color(1, 1, 1);
    const [r, g, b] = input?.factor ?? [];
    return new Color(r ?? fallback, g ?? fallback, b ?? fallback);
  };
  const share = (name: string, fallback: number) => (map(name) ? 1 : number(name, fallback));
  const base = find("base_color");
  const vertexColors = colored && (base?.vertex_color ?? false);
  const made = new MeshPhysicalMaterial({ side, vertexColors });
  made.color = color("base_color", 1);
  made.map = map("base_color", true);
  made.roughnessMap = map("roughness");
  made.roughness = share("roughness", 1);
  made.metalnessMap = map("metalness");
  // Metal that nothing is reflected in would be black.
  made.metalness = share("metalness", 0) * (reflecting ? 1 : 0.4);
  made.ior = Math.min(Math.max(number("ior", 1.5), 1), 2.333);
  made.specularIntensity = number("specular", 1);
  const normal = find("normal") ?? find("height");
  made.normalMap = normal ? map(normal.name) : null;
  // Tangents follow from UVs whose second axis points down.
  if (made.normalMap) made.normalScale = new Vector2(1, -1);
  if (find("clearcoat")) {
    made.clearcoat = share("clearcoat", 0);
    made.clearcoatMap = map("clearcoat");
    made.clearcoatRoughness = share("clearcoat_roughness", 0);
    made.clearcoatRoughnessMap = map("clearcoat_roughness");
  }
  if (find("sheen_color")) {
    made.sheen = 1;
    made.sheenColor = color("sheen_color", 0);
    made.sheenColorMap = map("sheen_color", true);
    made.sheenRoughness = share("sheen_roughness", 0);
  }
  if (find("iridescence")) {
    made.iridescence = share("iridescence", 0);
    made.iridescenceMap = map("iridescence");
    made.iridescenceIOR = Math.min(Math.max(number("iridescence_ior", 1.3), 1), 2.333);
    // A picture of thickness would be cut off at white: the quick look takes the thickest all over.
    const thick = find("iridescence_thickness")?.factor[0] ?? 400;
    made.iridescenceThicknessRange = [thick, thick];
  }
  if (find("emission")) {
    made.emissive = color("emission", 0);
    made.emissiveMap = map("emission", true);
    made.emissiveIntensity = number("emission_strength", 1);
  }
  seeThrough(made, material, map("opacity"), number);
  return made;
}

function seeThrough(
  made: MeshPhysicalMaterial,
  material: Material,
  opacity: MeshPhysicalMaterial["alphaMap"],
  number: (name: string, fallback: number) => number,
) {
  const glassy = number("transmission", 0);
  if (material.alpha_mode !== "opaque") {
    made.alphaMap = opacity;
    made.opacity = opacity ? 1 : number("opacity", 1);
    made.alphaTest = material.alpha_mode === "mask" ? material.alpha_cutoff : 0;
    made.transparent = material.alpha_mode === "blend";
  } else if (glassy > 0) {
    made.transparent = true;
    made.opacity = 1 - 0.85 * glassy;
  }
  if (made.transparent) made.depthWrite = false;
}

/** Dresses every mesh beneath a root in what a side says of its material, backs of their own included. Gives what takes it off again. */
export function dress(root: Object3D, lit: Lit, textures: Textures | null, reflecting: boolean): () => void {
  const byId = new Map(lit.materials.map((material) => [material.id, material]));
  const made = new Map<string, ThreeMaterial>();
  const backs: Mesh[] = [];
  const worn = (id: string, side: ThreeSide, colored: boolean) => {
    const key = `${id} ${side} ${colored}`;
    const known = made.get(key);
    if (known) return known;
    const material = byId.get(id);
    const fresh = material
      ? litMaterial(material, textures, side, colored, reflecting)
      : new MeshPhysicalMaterial({ color: 0xcccccc, side });
    made.set(key, fresh);
    return fresh;
  };
  root.traverse((object) => {
    if (!(object instanceof Mesh) || object.name === BACK) return;
    const id = (object.userData.slot ??=
      (object.material as { userData: { id?: string } }).userData.id ?? "") as string;
    const material = byId.get(id);
    const colored = object.geometry.hasAttribute("color");
    const back = material?.back;
    object.material = worn(id, back ? FrontSide : material?.double_sided ? DoubleSide : FrontSide, colored);
    if (back) {
      const behind = new Mesh(object.geometry, worn(back, BackSide, colored));
      behind.name = BACK;
      behind.raycast = () => undefined;
      backs.push(behind);
      object.add(behind);
    }
  });
  return () => {
    for (const behind of backs) behind.removeFromParent();
    for (const one of made.values()) one.dispose();
  };
}
