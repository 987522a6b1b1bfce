import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, got, upload } from "./client";
import { of, useChangeOf } from "./hooks";
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

export type CameBack = components["schemas"]["CameBackOut"];
export type CameThing = components["schemas"]["CameOut"];

/** What the package said that came back from its destination last; null where none did. */
export const useCameBack = (move: number) =>
  useQuery({
    queryKey: ["move", move, "came back"],
    queryFn: async () => (await got(api.GET("/api/moves/{move_id}/came-back", of(move)))) ?? null,
  });

/** Images that were painted over join the delivery, and are read where they were read there. */
export const useTakeImagesBack = (move: number) =>
  useChangeOf(move, (rows: number[]) =>
    got(api.POST("/api/moves/{move_id}/came-back/images", { ...of(move), body: { rows } })),
  );

/** A package that was changed at its destination, or some of its files, given to be compared. */
export function useGiveBack(move: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (files: File[]) =>
      upload(
        `/moves/${move}/came-back`,
        files.map((file) => ({ path: file.webkitRelativePath || file.name, file })),
        {},
        () => undefined,
      ),
    onSettled: () => void client.invalidateQueries({ queryKey: ["move", move] }),
  });
}
