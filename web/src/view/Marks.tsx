import { Box3Helper, BufferGeometry, Color, Mesh, type Object3D } from "three";

import type { Inventory } from "../api/client";
import { boxOf } from "./boxes";
import { faceCount, partOf } from "./faces";
import { markedMaterial } from "./lenses";
import { plateSprite } from "./plates";
import { useThings } from "./Stage3D";

/** Boxes around what is chosen. */
export function Chosen({ root, chosen }: { root: Object3D; chosen: readonly string[] }) {
  useThings(
    () =>
      chosen.slice(0, 60).flatMap((id) => {
        const box = boxOf(root, [id]);
        return box.isEmpty() ? [] : [new Box3Helper(box.expandByScalar(0.004), new Color("#9a2e40"))];
      }),
    [root, chosen],
  );
  return null;
}

/** Hatched copies of the marked faces, a hair in front of the model. Faces are numbered over a part's meshes in order. */
export function Marked({ root, marked }: { root: Object3D; marked: Record<string, number[]> }) {
  useThings(() => {
    root.updateMatrixWorld(true);
    const meshesOf = new Map<string, Mesh[]>();
    root.traverse((object) => {
      const shown = object instanceof Mesh;
      const part = shown ? partOf(object) : null;
      if (part && marked[part]) meshesOf.set(part, [...(meshesOf.get(part) ?? []), object as Mesh]);
    });
    const made: Mesh[] = [];
    for (const [part, meshes] of meshesOf) {
      let start = 0;
      const wanted = marked[part]!;
      for (const mesh of meshes) {
        const geometry = mesh.geometry as BufferGeometry;
        const index = geometry.index;
        const count = faceCount(mesh);
        const own = wanted
          .filter((face) => face >= start && face < start + count)
          .map((face) => face - start);
        if (own.length) {
          const copy = new BufferGeometry();
          for (const name of ["position", "normal"] as const)
            if (geometry.hasAttribute(name)) copy.setAttribute(name, geometry.getAttribute(name));
          copy.setIndex(
            own.flatMap((face) => [0, 1, 2].map((k) => (index ? index.getX(face * 3 + k) : face * 3 + k))),
          );
          const shown = new Mesh(copy, markedMaterial());
          shown.matrixAutoUpdate = false;
          shown.matrix.copy(mesh.matrixWorld);
          shown.raycast = () => undefined;
          shown.renderOrder = 5;
          made.push(shown);
        }
        start += count;
      }
    }
    return made;
  }, [root, marked]);
  return null;
}

/** The number of each material, on the largest part that wears it. */
export function Numbers({ root, inventory }: { root: Object3D; inventory: Inventory }) {
  useThings(
    () =>
      inventory.materials.flatMap((material, number) => {
        const part = inventory.parts
          .filter((one) => one.included && one.materials.includes(material.id))
          .sort((a, b) => b.triangles - a.triangles)[0];
        if (!part) return [];
        const sprite = plateSprite(String(number + 1), 0.02);
        boxOf(root, [part.id]).getCenter(sprite.position);
        return [sprite];
      }),
    [root, inventory],
  );
  return null;
}
