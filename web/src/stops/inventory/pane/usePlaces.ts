import { useState } from "react";

import type { Point } from "../../../view/Measured";
import type { StandingNow } from "./useKeepView";

/** A place that was pressed on the model, and from where it was seen: camera to world row by row. */
export interface Place {
  point: Point;
  matrix: number[];
}
export type PlaceTool = "measure" | "light" | "press";

/** Pressing places on the model: what for, and those that were pressed last. */
export function usePlaces(standing: StandingNow, first: PlaceTool | null) {
  const [tool, setTool] = useState(first);
  const [points, setPoints] = useState<Point[]>([]);
  const [place, setPlace] = useState<Place | null>(null);
  const put = (next: PlaceTool | null) => {
    setTool(next);
    setPoints([]);
    setPlace(null);
  };
  return {
    tool,
    points,
    place,
    /** Takes a tool up, or lays it down where it is held already. */
    take: (next: PlaceTool) => put(tool === next ? null : next),
    leave: () => put(null),
    press: (point: Point) => {
      if (tool === "measure") return setPoints(points.length === 1 ? [...points, point] : [point]);
      const stand = standing.current?.();
      if (!stand) return;
      setPoints([point]);
      setPlace({ point, matrix: stand.matrix });
    },
  };
}
export type Places = ReturnType<typeof usePlaces>;
