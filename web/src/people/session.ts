import { type QueryClient, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, got } from "../api/client";

/** Who is signed in, and whether anybody has to. */
export const useSession = () =>
  useQuery({
    queryKey: ["session"],
    queryFn: () => got(api.GET("/api/session")),
    staleTime: 60_000,
    refetchInterval: (query) => (query.state.data?.coming.length ? 3_000 : false),
  });

/** What is still being made since the application was started, in words. */
export const useComing = (): readonly string[] => useSession().data?.coming ?? [];

/** What one person saw is not shown to the next. */
function forgetEverything(client: QueryClient) {
  client.removeQueries({ predicate: (query) => query.queryKey[0] !== "session" });
}

export function useSignIn() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (who: { name: string; password: string }) => got(api.POST("/api/session", { body: who })),
    onSuccess: (session) => {
      forgetEverything(client);
      client.setQueryData(["session"], session);
    },
  });
}

export function useSignOut() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: () => got(api.DELETE("/api/session")),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["session"] }).then(() => forgetEverything(client));
    },
  });
}

const of = (move_id: number) => ({ params: { path: { move_id } } });

export const useSharing = (move: number) =>
  useQuery({
    queryKey: ["sharing", move],
    queryFn: () => got(api.GET("/api/moves/{move_id}/sharing", of(move))),
  });
export const usePeople = () =>
  useQuery({ queryKey: ["people"], queryFn: () => got(api.GET("/api/people")), staleTime: 60_000 });

/** What changes who sees a move; the answer is how it stands then. */
export function useSharingActs(move: number) {
  const client = useQueryClient();
  type Act = { person: string; level: "look" | "work" | "none" } | { days: number } | { withdraw: number };
  return useMutation({
    mutationFn: (act: Act) => {
      if ("person" in act) return got(api.PUT("/api/moves/{move_id}/sharing", { ...of(move), body: act }));
      if ("days" in act) return got(api.POST("/api/moves/{move_id}/links", { ...of(move), body: act }));
      return got(api.DELETE("/api/links/{link_id}", { params: { path: { link_id: act.withdraw } } }));
    },
    onSuccess: (sharing) => client.setQueryData(["sharing", move], sharing),
  });
}
