import { useThree } from "@react-three/fiber";
import { useEffect } from "react";
import type { Group, PerspectiveCamera } from "three";

import { facesWithin } from "./faces";

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
    let from: [number, number] | null = null;
    const place = (event: PointerEvent): [number, number] => {
      const box = canvas.getBoundingClientRect();
      return [event.clientX - box.left, event.clientY - box.top];
    };
    function down(event: PointerEvent) {
      from = place(event);
      canvas.setPointerCapture(event.pointerId);
    }
    function drag(event: PointerEvent) {
      if (!from) return;
      const to = place(event);
      Object.assign(frame.style, {
        display: "block",
        left: `${Math.min(from[0], to[0])}px`,
        top: `${Math.min(from[1], to[1])}px`,
        width: `${Math.abs(to[0] - from[0])}px`,
        height: `${Math.abs(to[1] - from[1])}px`,
      });
    }
    function up(event: PointerEvent) {
      if (!from) return;
      const to = place(event);
      const across = (x: number) => (x / canvas.clientWidth) * 2 - 1;
      const upward = (y: number) => 1 - (y / canvas.clientHeight) * 2;
      const area = {
        low: [across(Math.min(from[0], to[0])), upward(Math.max(from[1], to[1]))] as [number, number],
        high: [across(Math.max(from[0], to[0])), upward(Math.min(from[1], to[1]))] as [number, number],
      };
      from = null;
      frame.style.display = "none";
      onArea(facesWithin(root, chosen, area, camera as PerspectiveCamera));
    }
    canvas.addEventListener("pointerdown", down);
    canvas.addEventListener("pointermove", drag);
    canvas.addEventListener("pointerup", up);
    return () => {
      canvas.removeEventListener("pointerdown", down);
      canvas.removeEventListener("pointermove", drag);
      canvas.removeEventListener("pointerup", up);
      frame.remove();
    };
  }, [root, chosen, onArea, camera, gl]);
  return null;
}
