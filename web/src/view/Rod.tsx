import {
  BufferGeometry,
  DoubleSide,
  Mesh,
  MeshBasicMaterial,
  type Object3D,
  Shape,
  ShapeGeometry,
  Vector3,
} from "three";

import type { Inventory } from "../api/client";
import { boxOf } from "./boxes";
import { plateSprite } from "./plates";
import { useThings } from "./Stage3D";

/** The striped staff: a tenth of a round height a stripe, standing where the subject ends. */
export function Rod({
  root,
  inventory,
  person: beside,
}: {
  root: Object3D;
  inventory: Inventory;
  person: boolean;
}) {
  const { low_m, high_m } = inventory.size;
  const { subject } = inventory;
  useThings(() => {
    const box = boxOf(root, subject);
    const [low, high] = box.isEmpty() ? [low_m, high_m] : [box.min.toArray(), box.max.toArray()];
    const height = Math.max((high[1] ?? 1) - (low[1] ?? 0), 1e-3);
    const step = 10 ** Math.floor(Math.log10(height)) / 10 || 0.1;
    const stripe = height / step > 40 ? step * 10 : step;
    const stripes = Math.max(1, Math.ceil(height / stripe - 1e-6));
    const width = height * 0.022;
    const x = (high[0] ?? 1) + width * 3;
    const z = ((low[2] ?? 0) + (high[2] ?? 0)) / 2;
    const group: Object3D[] = [];
    for (let k = 0; k < stripes; k++) {
      const piece = new Mesh(boxGeometry(width, stripe, width), new MeshBasicMaterial({ toneMapped: false }));
      (piece.material as MeshBasicMaterial).color.set(k % 2 ? "#22241f" : "#fbfaf8");
      piece.position.set(x, (low[1] ?? 0) + (k + 0.5) * stripe, z);
      group.push(piece);
    }
    for (const [label, at] of [
      ["0", 0],
      [`${(stripes * stripe).toFixed(2)} m`, stripes * stripe],
    ] as const) {
      const plate = plateSprite(label, 0.018);
      plate.position.set(x + width * 3, (low[1] ?? 0) + at, z);
      group.push(plate);
    }
    if (!beside) return group;
    const person = new Mesh(
      personGeometry(PERSON_M),
      new MeshBasicMaterial({ color: "#4b4c47", side: DoubleSide, toneMapped: false }),
    );
    person.position.set(x + width * 3 + PERSON_M * 0.2, low[1] ?? 0, z);
    group.push(person);
    return group;
  }, [root, subject, low_m, high_m, beside]);
  return null;
}

export const PERSON_M = 1.7;
/** Right half of a standing figure, in parts of its height, from between the feet up to the neck. */
const OUTLINE = [
  [0.012, 0.47],
  [0.02, 0.25],
  [0.025, 0],
  [0.085, 0],
  [0.08, 0.04],
  [0.085, 0.27],
  [0.098, 0.47],
  [0.1, 0.56],
  [0.125, 0.45],
  [0.155, 0.46],
  [0.145, 0.62],
  [0.135, 0.77],
  [0.12, 0.815],
  [0.035, 0.845],
  [0.03, 0.87],
] as const;

/** A flat figure of the given height, standing on its origin. */
function personGeometry(height: number): BufferGeometry {
  const body = new Shape();
  OUTLINE.forEach(([px, py], at) =>
    at ? body.lineTo(px * height, py * height) : body.moveTo(px * height, py * height),
  );
  [...OUTLINE].reverse().forEach(([px, py]) => body.lineTo(-px * height, py * height));
  const head = new Shape();
  head.absellipse(0, 0.93 * height, 0.05 * height, 0.07 * height, 0, 2 * Math.PI, false, 0);
  return new ShapeGeometry([body, head], 16);
}

function boxGeometry(x: number, y: number, z: number): BufferGeometry {
  const geometry = new BufferGeometry();
  const corners = [-1, 1].flatMap((a) =>
    [-1, 1].flatMap((b) => [-1, 1].map((c) => new Vector3((a * x) / 2, (b * y) / 2, (c * z) / 2))),
  );
  geometry.setFromPoints(corners);
  geometry.setIndex([
    0, 1, 3, 0, 3, 2, 4, 6, 7, 4, 7, 5, 0, 4, 5, 0, 5, 1, 2, 3, 7, 2, 7, 6, 0, 2, 6, 0, 6, 4, 1, 5, 7, 1, 7,
    3,
  ]);
  return geometry;
}
