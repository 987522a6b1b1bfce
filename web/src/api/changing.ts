import { useMutation, useQueryClient } from "@tanstack/react-query";

import type { Move } from "./client";

/** An act that decides something of a move and tells more than what the move then is. Acts are sent one after the other, as they were pressed: an undo pressed right after an act takes back that act. */
export function useToldChange<Body, Told extends { move?: Move | null }>(
  id: number,
  act: (body: Body) => Promise<Told>,
) {
  const client = useQueryClient();
  return useMutation({
    scope: { id: `move ${id}` },
    mutationFn: act,
    onSuccess: async ({ move }) => {
      if (!move) return;
      // An answer on its way was asked for before the act and says what was then: an undo would find nothing changed by it.
      await client.cancelQueries({ queryKey: ["move", id], exact: true });
      client.setQueryData(["move", id], move);
    },
  });
}

/** Everything that decides something of a move: it is as the answer says, and what follows from that is asked again. */
export const useMoveChange = <Body>(id: number, act: (body: Body) => Promise<Move>) =>
  useToldChange(id, async (body: Body) => ({ move: await act(body) }));
