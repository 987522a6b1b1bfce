import { useThree } from "@react-three/fiber";
import { DragGesture } from "@use-gesture/vanilla";
import { useEffect } from "react";
import type { PerspectiveCamera } from "three";

type Pair = [number, number];

/** What was drawn over the view and from where: places in device coordinates (-1 to 1, y up), camera to world row by row. */
export interface Drawn {
  matrix: number[];
  yfov_rad: number;
  aspect: number;
  /** Two corners of a rectangle, or the way of a brush. */
  points: Pair[];
  /** The brush's radius in half heights of the view; 0 for a rectangle. */
  reach: number;
}
export type DrawWith = "rectangle" | "brush";

/** Places of a brush's way that are kept at most. */
const MOST = 2000;
const INK = "#22241f";
const PAPER = "#fbfaf8";

/** A rectangle or a brush's way drawn over the view with the pointer; told when the pointer is let go. */
export function Area({
  shape,
  brush_px,
  onDrawn,
}: {
  shape: DrawWith;
  brush_px: number;
  onDrawn: (drawn: Drawn) => void;
}) {
  const { camera, gl } = useThree();
  useEffect(() => {
    const canvas = gl.domElement;
    const sheet = document.createElementNS("http://www.w3.org/2000/svg", "svg");
    sheet.style.cssText = "position:absolute;inset:0;width:100%;height:100%;pointer-events:none";
    canvas.parentElement?.append(sheet);
    const marks = [
      [PAPER, brush_px * 2],
      [INK, 1],
    ].map(([color, width]) => {
      const mark = document.createElementNS("http://www.w3.org/2000/svg", "path");
      mark.setAttribute("fill", "none");
      mark.setAttribute("stroke", String(color));
      mark.setAttribute("stroke-linecap", "round");
      mark.setAttribute("stroke-linejoin", "round");
      mark.setAttribute("stroke-width", String(shape === "brush" ? width : 1));
      if (shape === "brush") mark.setAttribute("stroke-opacity", color === PAPER ? "0.55" : "1");
      else if (color === INK) mark.setAttribute("stroke-dasharray", "4 4");
      sheet.append(mark);
      return mark;
    });
    let way: Pair[] = [];
    const gesture = new DragGesture(
      canvas,
      ({ first, initial, xy, last }) => {
        const box = canvas.getBoundingClientRect();
        const from: Pair = [initial[0] - box.left, initial[1] - box.top];
        const at: Pair = [xy[0] - box.left, xy[1] - box.top];
        if (first) way = [from];
        if (shape === "brush" && way.length < MOST) way.push(at);
        const told =
          shape === "brush"
            ? `M${way.map((point) => point.join(" ")).join("L")}`
            : `M${from[0]} ${from[1]}H${at[0]}V${at[1]}H${from[0]}Z`;
        for (const mark of marks) mark.setAttribute("d", last ? "" : told);
        if (!last) return;
        const device = ([x, y]: Pair): Pair => [
          (x / canvas.clientWidth) * 2 - 1,
          1 - (y / canvas.clientHeight) * 2,
        ];
        const lens = camera as PerspectiveCamera;
        lens.updateMatrixWorld();
        onDrawn({
          matrix: lens.matrixWorld.clone().transpose().toArray(),
          yfov_rad: (lens.fov * Math.PI) / 180,
          aspect: lens.aspect,
          points: (shape === "brush" ? way : [from, at]).map(device),
          reach: shape === "brush" ? brush_px / (canvas.clientHeight / 2) : 0,
        });
      },
      { pointer: { capture: true, keys: false } },
    );
    return () => {
      gesture.destroy();
      sheet.remove();
    };
  }, [shape, brush_px, onDrawn, camera, gl]);
  return null;
}
