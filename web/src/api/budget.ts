import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { api, got } from "./client";
import { about, of, useChangeOf } from "./hooks";

/** Bytes of images on arrival, bytes of the package, triangles, seconds of baking, draw calls; what is not named has no limit. */
export interface Limits {
  memory?: number;
  download?: number;
  triangles?: number;
  bake?: number;
  draws?: number;
}

/** The choice that loses least within limits; `keep`: materials and parts that stay whole. */
export const useBudget = (id: number, limits: Limits, keep: string[]) =>
  useQuery({
    queryKey: ["move", id, "fit", "budget", limits, keep.join()],
    queryFn: ({ signal }) =>
      got(api.GET("/api/moves/{move_id}/budget", { ...about(id, { ...limits, keep }), signal })),
    placeholderData: keepPreviousData,
  });

/** Measures what every choice saves and loses, or what the choice within limits does as a whole. */
export const useMeasureBudget = (id: number) =>
  useChangeOf(id, (wanted: Limits & { keep: string[]; together: boolean }) =>
    got(api.POST("/api/moves/{move_id}/budget", { ...of(id), body: wanted })),
  );
