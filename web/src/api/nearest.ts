import { keepPreviousData, useQueries, useQuery } from "@tanstack/react-query";

import { api, type Elsewhere, got, type Nearest, type Nudged } from "./client";
import { about, of, useChangeOf } from "./hooks";
import { untilMade } from "./untilMade";

/** Materials that lose something of their look, and what was found for them. */
export const useNearestRows = (id: number) =>
  useQuery({
    queryKey: ["move", id, "fit", "nearest"],
    queryFn: () => got(api.GET("/api/moves/{move_id}/nearest", of(id))),
  });

/** The nearest look of a material: at a first look, then for good. `keep`: inputs that stay as they are copied. */
export const useNearest = (id: number, material: string, keep: string[], key: string) =>
  useQuery({
    queryKey: ["move", id, "nearest one", material, keep.join(), key],
    queryFn: ({ signal }) =>
      untilMade<Nearest>(() =>
        got(
          api.GET("/api/moves/{move_id}/nearest/one", {
            ...about(id, { material, keep: keep.join() }),
            signal,
          }),
        ),
      ),
    staleTime: Infinity,
    retry: false,
    refetchInterval: (query) => (query.state.data?.rough ? 700 : false),
  });

export type ByHand = Record<string, { gain: number[]; offset: number[] }>;

/** What changes made by hand come to, by the table of reflectance. */
export const useNudged = (id: number, material: string, inputs: ByHand, key: string) =>
  useQuery({
    queryKey: ["move", id, "nudged", material, JSON.stringify(inputs), key],
    queryFn: ({ signal }) =>
      untilMade<Nudged>(() =>
        got(
          api.POST("/api/moves/{move_id}/nearest/nudged", {
            ...of(id),
            body: { material, inputs },
            signal,
          }),
        ),
      ),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
  });

export const useFitAll = (id: number) =>
  useChangeOf(id, () =>
    got(api.POST("/api/moves/{move_id}/nearest/all", { ...of(id), body: { materials: [], take: true } })),
  );

/** A material at some destinations: each arrives when it is made. */
export const useElsewhere = (id: number, material: string, sheets: string[], key: string) =>
  useQueries({
    queries: sheets.map((sheet) => ({
      queryKey: ["move", id, "nearest at", material, sheet, key],
      queryFn: ({ signal }: { signal: AbortSignal }) =>
        untilMade<Elsewhere>(() =>
          got(api.GET("/api/moves/{move_id}/nearest/at", { ...about(id, { material, sheet }), signal })),
        ),
      staleTime: Infinity,
      retry: false,
    })),
  });
