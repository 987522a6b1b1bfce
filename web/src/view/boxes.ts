import { Box3, Mesh, type Object3D } from "three";

import { partOf } from "./faces";

/** The box around some parts as they are shown, or around all of them. */
export function boxOf(root: Object3D, ids: readonly string[]): Box3 {
  const box = new Box3();
  const wanted = new Set(ids);
  root.updateMatrixWorld(true);
  root.traverse((object) => {
    if (object instanceof Mesh && object.visible && (!wanted.size || wanted.has(partOf(object) ?? "")))
      box.expandByObject(object);
  });
  return box;
}
