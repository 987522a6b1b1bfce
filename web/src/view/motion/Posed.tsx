import { useThree } from "@react-three/fiber";
import { useEffect } from "react";
import {
  type AnimationClip,
  AnimationMixer,
  type Group,
  Matrix4,
  type Object3D,
  type PerspectiveCamera,
  Quaternion,
  Vector3,
} from "three";

import { moveLamps } from "../lit/lamps";
import type { Clock } from "./clock";

/** The object of a root that has one of our ids. */
function objectOf(root: Object3D, id: string): Object3D | undefined {
  let found: Object3D | undefined;
  root.traverse((one) => {
    if ((one.userData as { id?: string }).id === id) found ??= one;
  });
  return found;
}

/** Holds a root at the clock's moment of a clip, with its lamps; looked at through a camera that moves where one is named. */
export function Posed({
  root,
  clips,
  clip,
  clock,
  through,
}: {
  root: Group;
  clips: AnimationClip[];
  /** Id of the clip; none leaves the root at rest. */
  clip: string | null;
  clock: Clock;
  /** Node and vertical angle of the camera to look through. */
  through: { node: string; yfov_deg: number } | null;
}) {
  const { gl, camera, invalidate } = useThree();
  useEffect(() => {
    const found = clips.find((one) => (one.userData as { id?: string }).id === clip);
    const shot = through ? objectOf(root, through.node) : undefined;
    const mixer = new AnimationMixer(root);
    const action = found ? mixer.clipAction(found).play() : null;
    const hold = () => {
      if (action && found) action.time = Math.min(Math.max(clock.time_s, 0), found.duration);
      mixer.update(0);
      root.updateMatrixWorld(true);
      moveLamps(root);
      if (shot && through) {
        const lens = camera as PerspectiveCamera;
        const place = new Matrix4().copy(shot.matrixWorld);
        place.decompose(lens.position, lens.quaternion, new Vector3());
        lens.quaternion.copy(new Quaternion().setFromRotationMatrix(place.extractRotation(shot.matrixWorld)));
        lens.fov = through.yfov_deg;
        lens.updateProjectionMatrix();
      }
      gl.shadowMap.needsUpdate = true;
      invalidate();
    };
    hold();
    const deaf = clock.listen(hold);
    return () => {
      deaf();
      mixer.stopAllAction();
      mixer.uncacheRoot(root);
    };
  }, [root, clips, clip, clock, through, gl, camera, invalidate]);
  return null;
}
