import {
  Color,
  DirectionalLight,
  Group,
  type Light as ThreeLight,
  Matrix4,
  type Object3D,
  PointLight,
  SpotLight,
  Vector3,
} from "three";

import type { Lit } from "../../api/client";

type Lamp = Lit["lamps"][number];

/** More lamps than these are left to the proof: a live view pays for each at every pixel. */
const MOST = 16;
/** So many suns and spots cast shadows. */
const SHADOWS = 2;

/** What a lamp gives at a metre, to rank them by. */
const strength = (lamp: Lamp) => {
  const bright =
    lamp.intensity * (0.2126 * lamp.color[0]! + 0.7152 * lamp.color[1]! + 0.0722 * lamp.color[2]!);
  return lamp.kind === "rectangle" || lamp.kind === "disc" ? bright * lamp.width_m * lamp.height_m : bright;
};

function made(lamp: Lamp): ThreeLight {
  const color = new Color(...(lamp.color as [number, number, number]));
  if (lamp.kind === "sun") return new DirectionalLight(color, lamp.intensity);
  if (lamp.kind === "spot") {
    const soft = lamp.outer_rad > 0 ? 1 - lamp.inner_rad / lamp.outer_rad : 0;
    return new SpotLight(
      color,
      lamp.intensity,
      0,
      Math.min(lamp.outer_rad, Math.PI / 2 - 1e-3),
      Math.max(soft, 0),
    );
  }
  // A surface is seen as a spot of a half space, in candela of its whole area.
  if (lamp.kind === "rectangle" || lamp.kind === "disc") {
    const area = lamp.width_m * lamp.height_m * (lamp.kind === "disc" ? Math.PI / 4 : 1);
    return new SpotLight(color, lamp.intensity * area, 0, Math.PI / 2 - 1e-3, 1);
  }
  return new PointLight(color, lamp.intensity);
}

/** Where a lamp stands and looks. A sun stands behind everything it lights. */
function place(light: ThreeLight, matrix: Matrix4, reach_m: number, middle: Vector3) {
  const ahead = new Vector3(0, 0, -1).transformDirection(matrix);
  light.position.setFromMatrixPosition(matrix);
  if (light instanceof DirectionalLight) light.position.copy(middle).addScaledVector(ahead, -reach_m);
  if (light instanceof DirectionalLight || light instanceof SpotLight)
    light.target.position.copy(light.position).addScaledVector(ahead, 1);
}

/** Puts the lamps of a root where the nodes that carry them are now. */
export function moveLamps(root: Object3D) {
  const nodes = new Map<string, Object3D>();
  const lamps: ThreeLight[] = [];
  root.traverse((one) => {
    const { id, lamp } = one.userData as { id?: string; lamp?: string };
    if (id && !nodes.has(id)) nodes.set(id, one);
    if (lamp) lamps.push(one as ThreeLight);
  });
  for (const light of lamps) {
    const { lamp, reach_m, middle } = light.userData as { lamp: string; reach_m: number; middle: Vector3 };
    const carrier = nodes.get(lamp);
    if (carrier) place(light, carrier.matrixWorld, reach_m, middle);
    light.updateMatrixWorld();
    if (light instanceof DirectionalLight || light instanceof SpotLight) light.target.updateMatrixWorld();
  }
}

/** The lamps of a side as they stand, the strongest of very many. `reach_m` is how large the scene is. */
export function lampsOf(lit: Lit, reach_m: number, middle: Vector3): Group {
  const group = new Group();
  let shadows = 0;
  for (const lamp of lit.lamps
    .filter((one) => !one.opening)
    .sort((a, b) => strength(b) - strength(a))
    .slice(0, MOST)) {
    const light = made(lamp);
    light.userData = { lamp: lamp.node, reach_m, middle };
    place(light, new Matrix4().fromArray(lamp.matrix), reach_m, middle);
    if (light instanceof DirectionalLight || light instanceof SpotLight) {
      group.add(light.target);
      if (lamp.shadows && shadows < SHADOWS) {
        shadows += 1;
        light.castShadow = true;
        light.shadow.mapSize.set(1024, 1024);
        light.shadow.bias = -0.0005;
        light.shadow.normalBias = reach_m * 0.002;
        if (light instanceof DirectionalLight) {
          const camera = light.shadow.camera;
          camera.left = camera.bottom = -reach_m / 2;
          camera.right = camera.top = reach_m / 2;
          camera.near = reach_m * 0.01;
          camera.far = reach_m * 2;
        } else {
          light.shadow.camera.near = reach_m * 0.005;
          light.shadow.camera.far = reach_m * 4;
        }
      }
    }
    group.add(light);
  }
  return group;
}
