import { useEffect, useState } from "react";
import { BufferGeometry, Color, Group, LineBasicMaterial, LineSegments, Matrix4, Vector3 } from "three";
import { useThree } from "@react-three/fiber";

import type { Lit } from "../../api/client";
import type { Clock } from "../motion/clock";
import { plateSprite } from "../plates";
import { useThings } from "../Stage3D";

type Lamp = Lit["lamps"][number];
type Line = [Vector3, Vector3];

const at = (x: number, y: number, z: number) => new Vector3(x, y, z);

/** A closed line through points. */
const ring = (points: Vector3[]): Line[] => points.map((one, k) => [one, points[(k + 1) % points.length]!]);

const circle = (radius: number, z: number, count = 24): Vector3[] =>
  Array.from({ length: count }, (_, k) => {
    const angle = (k / count) * 2 * Math.PI;
    return at(Math.cos(angle) * radius, Math.sin(angle) * radius, z);
  });

/** Names of more lamps than these would hide the scene. */
const NAMED = 40;

/** What stands for a lamp, in its own space: it looks along -Z. `size` is that of one without a size of its own. */
function linesOf(lamp: Lamp, size: number): Line[] {
  const ahead: Line = [at(0, 0, 0), at(0, 0, -size * 3)];
  if (lamp.kind === "rectangle" || lamp.opening) {
    const [x, y] = [lamp.width_m / 2 || size, lamp.height_m / 2 || size];
    return [...ring([at(-x, -y, 0), at(x, -y, 0), at(x, y, 0), at(-x, y, 0)]), ahead];
  }
  if (lamp.kind === "disc") return [...ring(circle(lamp.width_m / 2 || size, 0)), ahead];
  if (lamp.kind === "spot") {
    const long = size * 4;
    const edge = circle(Math.tan(Math.min(lamp.outer_rad, 1.4)) * long, -long);
    return [...ring(edge), ...[0, 6, 12, 18].map((k): Line => [at(0, 0, 0), edge[k]!])];
  }
  const points = [at(size, 0, 0), at(0, size, 0), at(-size, 0, 0), at(0, -size, 0)];
  const tips = [at(0, 0, size), at(0, 0, -size)];
  const diamond = [...ring(points), ...tips.flatMap((tip) => points.map((one): Line => [tip, one]))];
  return lamp.kind === "sun" ? [...ring(circle(size, 0)), [at(0, 0, 0), at(0, 0, -size * 6)]] : diamond;
}

/** The lamps and openings of a side as lines where they stand, with their names; suns outside of everything they light. */
export function LampMarks({
  lit,
  reach_m,
  middle,
  clock,
}: {
  lit: Lit;
  reach_m: number;
  middle: [number, number, number];
  clock: Clock;
}) {
  const { invalidate } = useThree();
  const [moment, setMoment] = useState(clock.time_s);
  useEffect(() => clock.listen(() => setMoment(clock.time_s)), [clock]);
  // While a clip is looked at, lamps that move are elsewhere.
  const still = moment === 0;
  const [x, y, z] = middle;
  useThings(() => {
    const size = reach_m * 0.014;
    if (!still) return [];
    return lit.lamps.flatMap((lamp) => {
      const group = new Group();
      group.applyMatrix4(new Matrix4().fromArray(lamp.matrix));
      if (lamp.kind === "sun") {
        const ahead = new Vector3(0, 0, -1).transformDirection(new Matrix4().fromArray(lamp.matrix));
        group.position.set(x, y, z).addScaledVector(ahead, -reach_m * 0.55);
      }
      const lines = linesOf(lamp, size).flat();
      const color = new Color(...(lamp.color as [number, number, number]));
      const strongest = Math.max(color.r, color.g, color.b, 1e-9);
      for (const [paint, order] of [
        ["#22241f", 8],
        [color.multiplyScalar(1 / strongest), 9],
      ] as const) {
        const drawn = new LineSegments(
          new BufferGeometry().setFromPoints(lines),
          new LineBasicMaterial({ color: paint, depthTest: false, transparent: true, toneMapped: false }),
        );
        drawn.renderOrder = order;
        if (order === 8) drawn.scale.setScalar(1.02);
        drawn.raycast = () => undefined;
        group.add(drawn);
      }
      if (lit.lamps.length > NAMED) return [group];
      const plate = plateSprite(lamp.name.slice(0, 24), 0.016);
      plate.raycast = () => undefined;
      plate.position.copy(group.position).add(at(0, size * 2.2, 0));
      return [group, plate];
    });
  }, [lit, reach_m, x, y, z, still]);
  useEffect(() => invalidate(), [still, invalidate]);
  return null;
}
