import { useThree } from "@react-three/fiber";
import { DragGesture } from "@use-gesture/vanilla";
import { useEffect } from "react";
import type { Group, PerspectiveCamera } from "three";

import { facesWithin } from "./faces";

type Pair = [number, number];

/** A rectangle drawn in the view with the pointer; tells the faces in it when the pointer is let go. */
export function Area({
  root,
  chosen,
  onArea,
}: {
  root: Group;
  chosen: string[];
  onArea: (found: Record<string, number[]>) => void;
}) {
  const { camera, gl } = useThree();
  useEffect(() => {
    const canvas = gl.domElement;
    const frame = document.createElement("div");
    frame.style.cssText =
      "position:absolute;border:1px dashed #fbfaf8;outline:1px dashed #22241f;pointer-events:none;display:none";
    canvas.parentElement?.append(frame);
    const gesture = new DragGesture(
      canvas,
      ({ initial, xy, last }) => {
        const box = canvas.getBoundingClientRect();
        const [left, right] = [initial[0] - box.left, xy[0] - box.left].sort((a, b) => a - b) as Pair;
        const [top, bottom] = [initial[1] - box.top, xy[1] - box.top].sort((a, b) => a - b) as Pair;
        Object.assign(frame.style, {
          display: last ? "none" : "block",
          left: `${left}px`,
          top: `${top}px`,
          width: `${right - left}px`,
          height: `${bottom - top}px`,
        });
        if (!last) return;
        const across = (x: number) => (x / canvas.clientWidth) * 2 - 1;
        const upward = (y: number) => 1 - (y / canvas.clientHeight) * 2;
        const area = {
          low: [across(left), upward(bottom)] as Pair,
          high: [across(right), upward(top)] as Pair,
        };
        onArea(facesWithin(root, chosen, area, camera as PerspectiveCamera));
      },
      { pointer: { capture: true, keys: false } },
    );
    return () => {
      gesture.destroy();
      frame.remove();
    };
  }, [root, chosen, onArea, camera, gl]);
  return null;
}
