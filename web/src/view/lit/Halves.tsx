import { useFrame } from "@react-three/fiber";
import type { Group, PerspectiveCamera } from "three";

import { type Shown } from "./LitModel";
import { surround } from "./surroundings";

/** How two sides share the picture: each a half with the whole view, or one picture parted at a place. */
export type Sharing = "beside" | "wipe";

/** Draws two sides with one camera. `parted` is where a wiped picture is parted, from 0 at the left to 1. */
export function Halves({
  left,
  right,
  sharing,
  parted,
}: {
  left: Group;
  right: Group;
  sharing: Sharing;
  parted: number;
}) {
  useFrame(({ gl, scene, camera, size }) => {
    const lens = camera as PerspectiveCamera;
    const at = Math.round(size.width * (sharing === "beside" ? 0.5 : parted));
    const whole = lens.aspect;
    // Shadows are drawn with each side's own lamps, and only when something has changed.
    const changed = gl.shadowMap.needsUpdate;
    gl.setScissorTest(true);
    for (const [root, other, from, to] of [
      [left, right, 0, at],
      [right, left, at, size.width],
    ] as const) {
      if (to <= from) continue;
      root.visible = true;
      other.visible = false;
      surround(scene, (root.userData as Shown).surround ?? null);
      gl.setScissor(from, 0, to - from, size.height);
      if (sharing === "beside") {
        lens.aspect = (to - from) / size.height;
        gl.setViewport(from, 0, to - from, size.height);
      } else gl.setViewport(0, 0, size.width, size.height);
      lens.updateProjectionMatrix();
      gl.shadowMap.needsUpdate = changed;
      gl.render(scene, camera);
    }
    gl.setScissorTest(false);
    gl.setViewport(0, 0, size.width, size.height);
    lens.aspect = whole;
    lens.updateProjectionMatrix();
    left.visible = right.visible = true;
  }, 1);
  return null;
}
