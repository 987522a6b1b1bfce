import { useQuery } from "@tanstack/react-query";

import { api, got } from "../../api/client";
import { untilMade } from "../../api/untilMade";

export type Side = "received" | "mended" | "arrival";
export const SIDES: readonly (readonly [Side, string])[] = [
  ["received", "As received"],
  ["mended", "After mends"],
  ["arrival", "As it arrives"],
];

/** A side as it looks lit, asked for again until it is made. */
export function useLit(move: number, side: Side | null) {
  return useQuery({
    queryKey: ["move", move, "lit", side],
    queryFn: ({ signal }) =>
      untilMade(() =>
        got(
          api.GET("/api/moves/{move_id}/lit", {
            params: { path: { move_id: move }, query: { side: side ?? "mended" } },
            signal,
          }),
        ),
      ),
    enabled: side !== null,
    retry: false,
  });
}
