import { useQuery } from "@tanstack/react-query";

import { api, got } from "../../api/client";
import { untilMade } from "../../api/untilMade";
import type { Side } from "../lit/useLit";

/** A side in motion, asked for again until it is made. */
export function useMoving(move: number, side: Side | null) {
  return useQuery({
    queryKey: ["move", move, "moving", side],
    queryFn: ({ signal }) =>
      untilMade(() =>
        got(
          api.GET("/api/moves/{move_id}/moving", {
            params: { path: { move_id: move }, query: { side: side ?? "mended" } },
            signal,
          }),
        ),
      ),
    enabled: side !== null,
    retry: false,
  });
}
