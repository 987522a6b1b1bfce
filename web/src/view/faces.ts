import { type BufferGeometry, type Group, Mesh, type Object3D } from "three";

export function partOf(object: Object3D): string | null {
  for (let at: Object3D | null = object; at; at = at.parent)
    if (typeof at.userData.id === "string" && at.userData.id.startsWith("part:")) return at.userData.id;
  return null;
}

export const faceCount = (mesh: Mesh) =>
  ((mesh.geometry as BufferGeometry).index?.count ??
    (mesh.geometry as BufferGeometry).getAttribute("position").count) / 3;

/** How many faces of a part come before those of one of its meshes. */
export function facesBefore(root: Group, part: string, mesh: Object3D): number {
  let count = 0;
  let found = false;
  root.traverse((object) => {
    if (object === mesh) found = true;
    if (!found && partOf(object) === part && object instanceof Mesh) count += faceCount(object);
  });
  return count;
}
