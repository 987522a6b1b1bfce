import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, got, type Job, upload } from "./client";
import { of } from "./hooks";

/** Pictures of imports in the program at the destination. */
export const useSeen = (id: number) =>
  useQuery({
    queryKey: ["move", id, "seen"],
    queryFn: () => got(api.GET("/api/moves/{move_id}/seen", of(id))),
  });
export function useAddSeen(id: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ file, view }: { file: File; view: string }) =>
      upload<Job>(`/moves/${id}/seen`, [{ path: file.name, file }], { view }, () => undefined),
    onSuccess: () => client.invalidateQueries({ queryKey: ["move", id] }),
  });
}
export function useRemoveSeen(id: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (seen: number) =>
      got(
        api.DELETE("/api/moves/{move_id}/seen/{seen_id}", {
          params: { path: { move_id: id, seen_id: seen } },
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: ["move", id, "seen"] }),
  });
}
