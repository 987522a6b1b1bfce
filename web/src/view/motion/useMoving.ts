import { useQuery } from "@tanstack/react-query";

import { api, got, type Moving } from "../../api/client";
import type { Side } from "../lit/useLit";

/** A side in motion, asked for again until it is made. */
export function useMoving(move: number, side: Side | null) {
  return useQuery<Moving>({
    queryKey: ["move", move, "moving", side],
    queryFn: async ({ signal }) => {
      for (;;) {
        const answer = await got(
          api.GET("/api/moves/{move_id}/moving", {
            params: { path: { move_id: move }, query: { side: side ?? "mended" } },
            signal,
          }),
        );
        if (!("coming" in answer)) return answer;
        await new Promise((resolve) => setTimeout(resolve, 200));
      }
    },
    enabled: side !== null,
    retry: false,
  });
}
