import { useThree } from "@react-three/fiber";
import { type RefObject, useEffect, useRef } from "react";
import { Matrix4, type Object3D, type PerspectiveCamera, Quaternion, Vector3 } from "three";
import type { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";

import type { Inventory, Opening } from "../api/client";
import { boxOf } from "./boxes";
import { PERSON_M } from "./Rod";
import { frame, useOrbit } from "./Stage3D";

/** A camera from anywhere: to the world row by row, its full vertical angle, and how many times as wide as high its frame is, which is held whole. */
export interface Place {
  matrix: number[];
  yfov_rad: number;
  aspect: number;
}

/** Raised to ask for a framing: the subject, the subject with a person beside it, the chosen parts, a camera of the scene, standing in it at eye height, or a camera from elsewhere. */
export interface Ask {
  kind: "all" | "beside" | "chosen" | "camera" | "walk" | "place";
  camera?: string;
  place?: Place;
  number: number;
}

type Spot = [number, number, number];

/** Filled in with a way to read where the view stands: camera to world row by row, and the full vertical angle; nothing before it looks at anything. */
export type Standing = RefObject<(() => { matrix: number[]; yfov_rad: number } | null) | null>;

export function Framing({
  root,
  inventory,
  chosen,
  ask,
  rod,
  still,
  halved,
  standing,
  opening = null,
  walk,
}: {
  root: Object3D;
  inventory: Inventory;
  chosen: string[];
  ask: Ask;
  /** Whether the staff is to be in the picture. */
  rod: boolean;
  still: boolean;
  /** Whether the picture is shared by two views, each half as wide. */
  halved: boolean;
  standing?: Standing;
  /** Where it stands when it is opened, as far as that is known. */
  opening?: Opening | null;
  /** A step on the level from where the eye is, no farther than what blocks allows; nothing where none is taken. */
  walk: (eye: Spot, heading: [number, number], far_m: number) => Promise<Spot | null>;
}) {
  const { camera, gl, invalidate } = useThree();
  const controls = useOrbit(still);
  const framed = useRef<{ asked: string; size: number } | null>(null);
  useEffect(() => {
    if (!standing) return;
    standing.current = () => {
      if (!framed.current) return null;
      camera.updateMatrixWorld();
      return {
        matrix: camera.matrixWorld.clone().transpose().toArray(),
        yfov_rad: ((camera as PerspectiveCamera).fov * Math.PI) / 180,
      };
    };
    return () => {
      standing.current = null;
    };
  }, [camera, standing]);

  useEffect(() => {
    const lens = camera as PerspectiveCamera;
    const made = controls;
    if (!made) return;
    // Another side of the same size is looked at from where one stands; one that has grown is framed anew.
    const asked = `${ask.number} ${halved}`;
    const size = Math.max(boxOf(root, []).getSize(new Vector3()).length(), 1e-9);
    const before = framed.current;
    if (before?.asked === asked && Math.abs(Math.log2(size / before.size)) < 1) return;
    const now = { asked, size };
    const shot = ask.kind === "camera" ? inventory.cameras.find((one) => one.id === ask.camera) : undefined;
    const place = ask.kind === "place" ? ask.place : undefined;
    if (ask.kind === "walk") stand(lens, made, inventory);
    else if (!before && !ask.number && ask.kind === "all" && opening && !halved) open(lens, made, opening);
    else if (shot || place) {
      const matrix = place
        ? new Matrix4().fromArray(place.matrix).transpose()
        : new Matrix4().fromArray(shot!.matrix);
      const position = new Vector3();
      matrix.decompose(position, new Quaternion(), new Vector3());
      const ahead = new Vector3(0, 0, -1).transformDirection(matrix);
      lens.position.copy(position);
      lens.fov = place ? fovOf(place, lens.aspect) : shot!.yfov_deg;
      made.target.copy(position).addScaledVector(ahead, Math.max(0.1, position.length()));
    } else {
      const box = boxOf(root, ask.kind === "chosen" ? chosen : inventory.subject);
      if (box.isEmpty()) return;
      if (rod && ask.kind !== "chosen") box.max.x += (box.max.y - box.min.y) * 0.14;
      if (ask.kind === "beside") {
        box.max.x += (box.max.y - box.min.y) * 0.2 + PERSON_M * 0.4;
        box.max.y = Math.max(box.max.y, box.min.y + PERSON_M);
      }
      lens.fov = 35;
      frame(lens, made, box, undefined, halved ? lens.aspect / 2 : lens.aspect);
    }
    framed.current = now;
    lens.updateProjectionMatrix();
    made.update();
    invalidate();
    // A new choice alone must not move the view; only an explicit request does.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [ask.number, root, controls, halved]);

  useEffect(() => {
    if (ask.kind !== "walk") return;
    const holder = gl.domElement;
    holder.tabIndex = 0;
    holder.focus();
    let walking = false;
    async function go(made: OrbitControls, ahead: Vector3, far: number) {
      // A step at a time: what is pressed meanwhile waits for no queue.
      if (walking) return;
      walking = true;
      const reached = await walk(
        camera.position.toArray(),
        [ahead.x * Math.sign(far), ahead.z * Math.sign(far)],
        Math.abs(far),
      );
      walking = false;
      if (!reached) return;
      const move = new Vector3(...reached).sub(camera.position);
      camera.position.add(move);
      made.target.add(move);
      made.update();
      invalidate();
    }
    function step(event: KeyboardEvent) {
      const made = controls;
      if (!made) return;
      const ahead = made.target.clone().sub(camera.position);
      const pace = event.shiftKey ? 1 : 0.25;
      if (event.key === "ArrowUp" || event.key === "ArrowDown") {
        event.preventDefault();
        void go(made, ahead.clone().setY(0).normalize(), event.key === "ArrowUp" ? pace : -pace);
        return;
      } else if (event.key === "ArrowLeft" || event.key === "ArrowRight") {
        ahead.applyAxisAngle(new Vector3(0, 1, 0), event.key === "ArrowLeft" ? 0.12 : -0.12);
        made.target.copy(camera.position).add(ahead);
      } else return;
      event.preventDefault();
      made.update();
      invalidate();
    }
    holder.addEventListener("keydown", step);
    return () => holder.removeEventListener("keydown", step);
  }, [ask.kind, ask.number, camera, controls, gl, walk, invalidate]);
  return null;
}

/** The vertical angle, in degrees, under which a camera's frame is held whole in a picture of another shape. */
function fovOf(place: Place, aspect: number): number {
  const half = Math.tan(place.yfov_rad / 2) * Math.max(1, place.aspect / aspect);
  return (2 * Math.atan(half) * 180) / Math.PI;
}

/** Stands where a still was drawn from. */
function open(lens: PerspectiveCamera, controls: OrbitControls, { matrix, ...opening }: Opening) {
  lens.position.set(matrix[3] ?? 0, matrix[7] ?? 0, matrix[11] ?? 0);
  lens.fov = (opening.yfov_rad * 180) / Math.PI;
  lens.near = opening.reach_m / 100;
  lens.far = opening.reach_m * 100;
  controls.target.fromArray(opening.target);
}

const EYE_M = 1.6;

/** At eye height before the scene, looking into it; the arrow keys walk and turn. */
function stand(lens: PerspectiveCamera, controls: OrbitControls, inventory: Inventory) {
  const { low_m, high_m } = inventory.size;
  const middle = [0, 1, 2].map((k) => ((low_m[k] ?? 0) + (high_m[k] ?? 0)) / 2);
  const deep = (high_m[2] ?? 0) - (low_m[2] ?? 0);
  const height = (low_m[1] ?? 0) + EYE_M;
  lens.fov = 55;
  lens.near = 0.02;
  lens.far = 2000;
  lens.position.set(middle[0] ?? 0, height, (high_m[2] ?? 0) + Math.max(deep, 1.5));
  controls.target.set(middle[0] ?? 0, Math.min(height, Math.max(middle[1] ?? 0, height - 1)), middle[2] ?? 0);
}
