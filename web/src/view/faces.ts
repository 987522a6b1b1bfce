import { type BufferGeometry, type Group, Mesh, type Object3D, type PerspectiveCamera, Vector3 } from "three";

/** Corners of an area of the view in device coordinates, -1 to 1, y up. */
export interface Rectangle {
  low: [number, number];
  high: [number, number];
}

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

/** Faces whose middle lies in a rectangle and whose front looks at the eye, by part; of the wanted parts only. What stands before them is not asked. */
export function facesWithin(
  root: Group,
  wanted: string[],
  area: Rectangle,
  camera: PerspectiveCamera,
): Record<string, number[]> {
  const found: Record<string, number[]> = {};
  const starts: Record<string, number> = {};
  const corners = [new Vector3(), new Vector3(), new Vector3()] as const;
  const middle = new Vector3();
  const out = new Vector3();
  root.updateMatrixWorld(true);
  root.traverse((object) => {
    if (!(object instanceof Mesh)) return;
    const part = partOf(object);
    if (!part) return;
    const count = faceCount(object);
    const start = (starts[part] ??= 0);
    starts[part] = start + count;
    if (wanted.length && !wanted.includes(part)) return;
    const geometry = object.geometry as BufferGeometry;
    const position = geometry.getAttribute("position");
    for (let face = 0; face < count; face++) {
      corners.forEach((corner, k) =>
        corner
          .fromBufferAttribute(position, geometry.index ? geometry.index.getX(face * 3 + k) : face * 3 + k)
          .applyMatrix4(object.matrixWorld),
      );
      middle.copy(corners[0]).add(corners[1]).add(corners[2]).divideScalar(3);
      out.copy(corners[1]).sub(corners[0]).cross(corners[2].sub(corners[0]));
      if (out.dot(corners[1].copy(camera.position).sub(middle)) <= 0) continue;
      middle.project(camera);
      if (
        middle.z < 1 &&
        middle.x >= area.low[0] &&
        middle.x <= area.high[0] &&
        middle.y >= area.low[1] &&
        middle.y <= area.high[1]
      )
        (found[part] ??= []).push(start + face);
    }
  });
  return found;
}
