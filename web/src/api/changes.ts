import { useQuery } from "@tanstack/react-query";

import { api, got } from "./client";
import type { components } from "./schema";

export type Changes = components["schemas"]["ChangesOut"];
export type ChangedThing = components["schemas"]["ChangedOut"];
export type FileChange = components["schemas"]["FileChangeOut"];

/** What is different in a handover since another one of its move, by that one's number. */
export const useHandoverChanges = (handover: number, since: number) =>
  useQuery({
    queryKey: ["handover", handover, "since", since],
    queryFn: () =>
      got(
        api.GET("/api/handovers/{handover_id}/changes", {
          params: { path: { handover_id: handover }, query: { since } },
        }),
      ),
    staleTime: Infinity,
  });

/** What is different in a revision since the one before. */
export const useRevisionChanges = (move: number, number: number) =>
  useQuery({
    queryKey: ["move", move, "revision", number, "changes"],
    queryFn: () =>
      got(
        api.GET("/api/moves/{move_id}/revisions/{number}/changes", {
          params: { path: { move_id: move, number } },
        }),
      ),
  });
