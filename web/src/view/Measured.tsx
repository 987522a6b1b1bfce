import {
  BufferGeometry,
  Line,
  LineBasicMaterial,
  Mesh,
  MeshBasicMaterial,
  SphereGeometry,
  Vector3,
} from "three";

import { plateSprite } from "./plates";
import { useThings } from "./Stage3D";

export type Point = [number, number, number];

const ballAt = (point: Point, reach_m: number) => {
  const ball = new Mesh(
    new SphereGeometry(reach_m * 0.006, 12, 8),
    new MeshBasicMaterial({ color: "#9a2e40", depthTest: false, toneMapped: false }),
  );
  ball.position.set(...point);
  ball.renderOrder = 6;
  return ball;
};

/** Places on the model, each under its number. */
export function Numbered({ places, reach_m }: { places: [number, Point][]; reach_m: number }) {
  useThings(
    () =>
      places.flatMap(([number, place]) => {
        const plate = plateSprite(String(number), 0.024);
        plate.position.set(...place);
        plate.center.set(-0.3, -0.3);
        return [ballAt(place, reach_m), plate];
      }),
    [places, reach_m],
  );
  return null;
}

/** One or two points that were pressed on the model, and how far they are apart. */
export function Measured({ points, reach_m }: { points: Point[]; reach_m: number }) {
  useThings(() => {
    const made = points.map((point) => ballAt(point, reach_m));
    const [first, second] = points;
    if (!first || !second) return made;
    const [from, to] = [new Vector3(...first), new Vector3(...second)];
    const line = new Line(
      new BufferGeometry().setFromPoints([from, to]),
      new LineBasicMaterial({ color: "#9a2e40", depthTest: false, toneMapped: false }),
    );
    line.renderOrder = 6;
    const plate = plateSprite(`${from.distanceTo(to).toPrecision(4)} m`, 0.02);
    plate.position.copy(from.add(to).multiplyScalar(0.5));
    return [...made, line, plate];
  }, [points, reach_m]);
  return null;
}
