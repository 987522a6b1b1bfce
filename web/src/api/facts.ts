import { useQuery } from "@tanstack/react-query";

import { api, got } from "./client";
import { about, of } from "./hooks";

/* What is told of one image, material or part. */

/** How the UVs of a material lie, in figures; `version` is of the geometry that they are of. */
export const useUvLayout = (
  id: number,
  material: string | null,
  parts: string[],
  set: number,
  version: string,
) =>
  useQuery({
    queryKey: ["uv layout", id, material, parts, set, version],
    queryFn: () =>
      got(
        api.POST("/api/moves/{move_id}/uv-layout", {
          ...of(id),
          body: { material: material ?? "", parts, set },
        }),
      ),
    enabled: material !== null,
  });
export const useImageFacts = (id: number, image: string | null) =>
  useQuery({
    queryKey: ["image", id, image],
    queryFn: () => got(api.GET("/api/moves/{move_id}/image", about(id, { image: image ?? "" }))),
    enabled: image !== null,
    staleTime: 60_000,
  });
export const usePaint = (id: number, material: string, wanted: boolean) =>
  useQuery({
    queryKey: ["move", id, "paint", material],
    queryFn: () => got(api.GET("/api/moves/{move_id}/paint", about(id, { material }))),
    enabled: wanted,
  });
export const useCollision = (id: number, part: string | null) =>
  useQuery({
    queryKey: ["move", id, "collision", part],
    queryFn: () => got(api.GET("/api/moves/{move_id}/collision", about(id, { part: part ?? "" }))),
    enabled: part !== null,
  });
