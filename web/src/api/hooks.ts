import { type QueryClient, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";

import {
  api,
  type Decision,
  got,
  type Job,
  type JobAsked,
  type MaterialWanted,
  type Move,
  upload,
} from "./client";
import { useMoveChange, useToldChange } from "./changing";

const RUNNING = new Set(["waiting", "running"]);
export const isRunning = (job: Job | null | undefined) => job != null && RUNNING.has(job.state);

/** What an address about a move takes. */
export const of = (move_id: number) => ({ params: { path: { move_id } } });
export const about = <Query extends object>(move_id: number, query: Query) => ({
  params: { path: { move_id }, query },
});

export const useSamples = () =>
  useQuery({ queryKey: ["samples"], queryFn: () => got(api.GET("/api/samples")), staleTime: Infinity });

export const useMoves = (more = false) =>
  useQuery({
    queryKey: ["moves"],
    queryFn: () => got(api.GET("/api/moves")),
    refetchOnMount: "always",
    refetchInterval: (query) =>
      query.state.data?.some((move) => isRunning(move.job)) ? 1000 : more ? 3000 : false,
  });

/** An act that changes what belongs to a move; everything of it, and what else is named, is asked anew. */
export function useChangeOf<Wanted, Told>(
  id: number,
  act: (wanted: Wanted) => Promise<Told>,
  ...also: string[]
) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: () =>
      Promise.all(
        [["move", id], ...also.map((one) => [one])].map((queryKey) => client.invalidateQueries({ queryKey })),
      ),
  });
}

/** Asks for a page again. An answer on its way says what was before, and would count as new where nobody looks at the page just now. */
function again(client: QueryClient, id: number, page: string) {
  const queryKey = ["move", id, page];
  void client.cancelQueries({ queryKey });
  void client.invalidateQueries({ queryKey });
}

/** Asks again for what a move now says otherwise: pages whose key is another, and its history. */
function askAgain(client: QueryClient, id: number, before: Move["keys"], now: Move["keys"]) {
  for (const [page, key] of Object.entries(now)) if (before[page] !== key) again(client, id, page);
  again(client, id, "history");
}

export function useMove(id: number) {
  const client = useQueryClient();
  const found = useQuery({
    queryKey: ["move", id],
    queryFn: () => got(api.GET("/api/moves/{move_id}", of(id))),
    refetchInterval: (query) => (isRunning(query.state.data?.job) ? 500 : false),
  });
  const pulse = useQuery({
    queryKey: ["pulse", id],
    queryFn: () => got(api.GET("/api/moves/{move_id}/pulse", of(id))),
    enabled: found.data !== undefined,
    refetchInterval: 800,
    retry: false,
  });
  const beat = pulse.data?.beat;
  const heard = useRef<string>(undefined);
  useEffect(() => {
    if (beat && heard.current && heard.current !== beat)
      void client.invalidateQueries({ queryKey: ["move", id], exact: true });
    heard.current = beat;
  }, [beat, client, id]);
  // Another window, another person or a job may have changed it.
  const before = useRef<Move["keys"]>(undefined);
  const keys = found.data?.keys;
  useEffect(() => {
    if (keys && before.current && before.current !== keys) askAgain(client, id, before.current, keys);
    before.current = keys;
  }, [keys, client, id]);
  return found;
}

/** The words of the route follow what a page has just learnt. */
function useTold(id: number, known: boolean | undefined) {
  const client = useQueryClient();
  useEffect(() => {
    if (known) void client.invalidateQueries({ queryKey: ["move", id], exact: true });
  }, [known, client, id]);
}

export function useInventory(id: number, ready: boolean) {
  const found = useQuery({
    queryKey: ["move", id, "inventory"],
    queryFn: () => got(api.GET("/api/moves/{move_id}/inventory", of(id))),
    enabled: ready,
    refetchInterval: (query) => (query.state.data?.surveyed === false ? 1000 : false),
  });
  useTold(id, found.data?.surveyed);
  return found;
}
export const useAgain = (id: number) =>
  useQuery({
    queryKey: ["move", id, "again"],
    queryFn: () => got(api.GET("/api/moves/{move_id}/again", of(id))),
  });
export function useFit(id: number) {
  const found = useQuery({
    queryKey: ["move", id, "fit"],
    queryFn: () => got(api.GET("/api/moves/{move_id}/fit", of(id))),
    refetchInterval: (query) => (query.state.data?.measured === false ? 500 : false),
  });
  useTold(id, found.data?.measured);
  return found;
}
export const useFamilies = (id: number) =>
  useQuery({
    queryKey: ["move", id, "families"],
    queryFn: () => got(api.GET("/api/moves/{move_id}/families", of(id))),
  });
export const useSiblings = (id: number, material: string, image: string | null) =>
  useQuery({
    queryKey: ["move", id, "siblings", material, image],
    queryFn: () => got(api.GET("/api/moves/{move_id}/siblings", about(id, { material, image: image ?? "" }))),
    enabled: image !== null,
  });
export const useDecisions = (id: number) =>
  useQuery({
    queryKey: ["move", id, "decisions"],
    queryFn: async () =>
      (await got(api.GET("/api/moves/{move_id}/decisions", of(id)))) as unknown as Decision[],
  });
export const useLight = (id: number) =>
  useQuery({
    queryKey: ["move", id, "light"],
    queryFn: () => got(api.GET("/api/moves/{move_id}/light", of(id))),
  });
export const useMix = (id: number) =>
  useQuery({
    queryKey: ["move", id, "mix"],
    queryFn: () => got(api.GET("/api/moves/{move_id}/mix", of(id))),
  });
export const useLightmaps = (id: number) =>
  useQuery({
    queryKey: ["move", id, "lightmaps"],
    queryFn: () => got(api.GET("/api/moves/{move_id}/lightmaps", of(id))),
  });
export const useProofs = (id: number) =>
  useQuery({
    queryKey: ["move", id, "proofs"],
    queryFn: () => got(api.GET("/api/moves/{move_id}/proofs", of(id))),
  });
export const useAccounts = (id: number) =>
  useQuery({
    queryKey: ["move", id, "accounts"],
    queryFn: () => got(api.GET("/api/moves/{move_id}/accounts", of(id))),
  });
export const useHandovers = (id: number) =>
  useQuery({
    queryKey: ["move", id, "handovers"],
    queryFn: () => got(api.GET("/api/moves/{move_id}/handovers", of(id))),
  });
/** A material's sample: a small one within a second, then the full one in its place. */
export function useSample(id: number, material: string, version: string) {
  const ask = async (quick: boolean, signal: AbortSignal) => {
    for (;;) {
      const answer = await got(
        api.GET("/api/moves/{move_id}/samples", { ...about(id, { material, quick }), signal }),
      );
      if (!("coming" in answer)) return answer;
      await new Promise((resolve) => setTimeout(resolve, 120));
    }
  };
  const quick = useQuery({
    queryKey: ["move", id, "sample", material, version, "quick"],
    queryFn: ({ signal }) => ask(true, signal),
    staleTime: Infinity,
  });
  const full = useQuery({
    queryKey: ["move", id, "sample", material, version],
    queryFn: ({ signal }) => ask(false, signal),
    staleTime: Infinity,
    enabled: quick.data !== undefined,
  });
  return {
    data: full.data ?? quick.data,
    rough: full.data === undefined,
    error: quick.error ?? full.error,
    isPending: quick.isPending,
    refetch: () => void (quick.error ? quick : full).refetch(),
  };
}

export const useRenamePreview = (id: number, ids: string[], pattern: string, find: string) =>
  useQuery({
    queryKey: ["move", id, "history", "rename", ids, pattern, find],
    queryFn: () =>
      got(api.POST("/api/moves/{move_id}/rename-preview", { ...of(id), body: { ids, pattern, find } })),
    enabled: ids.length > 0 && pattern !== "",
    retry: false,
  });
export const useHistory = (id: number) =>
  useQuery({
    queryKey: ["move", id, "history"],
    queryFn: () => got(api.GET("/api/moves/{move_id}/history", of(id))),
  });
export const useShelf = (id: number, wanted: boolean) =>
  useQuery({
    queryKey: ["move", id, "shelf"],
    queryFn: () => got(api.GET("/api/moves/{move_id}/shelf", of(id))),
    enabled: wanted,
  });

export const useDecide = (id: number) =>
  useMoveChange(id, (decisions: Decision[]) =>
    got(api.POST("/api/moves/{move_id}/decisions", { ...of(id), body: decisions })),
  );
export const useTakeDeeds = (id: number) =>
  useMoveChange(id, ({ proof, ids }: { proof: number; ids: string[] }) =>
    got(api.POST("/api/proofs/{proof_id}/take", { params: { path: { proof_id: proof } }, body: { ids } })),
  );
export const useFromShelf = (id: number) =>
  useMoveChange(id, (wanted: { slot: string; name: string }[]) =>
    got(api.POST("/api/moves/{move_id}/from-shelf", { ...of(id), body: wanted })),
  );
export const useImageHere = (id: number) =>
  useMoveChange(id, (wanted: { target: string; image: string; besides?: Decision[] }) =>
    got(api.POST("/api/moves/{move_id}/use-image", { ...of(id), body: { besides: [], ...wanted } })),
  );
export const useCameraHere = (id: number) =>
  useMoveChange(
    id,
    (wanted: {
      camera?: string | null;
      name?: string;
      matrix: number[];
      yfov_rad: number;
      aspect?: number | null;
      shift?: number[];
    }) =>
      got(
        api.POST("/api/moves/{move_id}/camera-here", {
          ...of(id),
          body: { name: "", shift: [0, 0], ...wanted },
        }),
      ),
  );
export const useLightBy = (id: number) =>
  useMoveChange(id, (key: string) =>
    got(api.POST("/api/moves/{move_id}/light-by", { ...of(id), body: { key } })),
  );
/** What is done to chosen parts and groups at once. */
export const useLeaveOut = (id: number) =>
  useMoveChange(id, (ids: string[]) =>
    got(api.POST("/api/moves/{move_id}/leave-out", { ...of(id), body: { ids } })),
  );
export const useTakeAlong = (id: number) =>
  useMoveChange(id, (ids: string[]) =>
    got(api.POST("/api/moves/{move_id}/take-along", { ...of(id), body: { ids } })),
  );
export const useLeaveSlotOut = (id: number) =>
  useMoveChange(id, (wanted: { ids: string[]; material: string; back?: boolean }) =>
    got(api.POST("/api/moves/{move_id}/leave-slot-out", { ...of(id), body: { back: false, ...wanted } })),
  );
export const useUngroup = (id: number) =>
  useMoveChange(id, (ids: string[]) =>
    got(api.POST("/api/moves/{move_id}/ungroup", { ...of(id), body: { ids } })),
  );
export const useMoveTo = (id: number) =>
  useMoveChange(id, (wanted: { ids: string[]; group: string | null }) =>
    got(api.POST("/api/moves/{move_id}/move-to", { ...of(id), body: wanted })),
  );
/** The id of the group that is made. */
export const useGroup = (id: number) =>
  useToldChange(id, (wanted: { ids: string[]; name: string }) =>
    got(api.POST("/api/moves/{move_id}/group", { ...of(id), body: wanted })),
  );
export const useDress = (id: number) =>
  useMoveChange(id, (wanted: { ids: string[]; material: string; instead_of?: string | null }) =>
    got(api.POST("/api/moves/{move_id}/dress", { ...of(id), body: wanted })),
  );
export const useAnotherLamp = (id: number) =>
  useMoveChange(id, (wanted: { light: string; mirrored: boolean }) =>
    got(api.POST("/api/moves/{move_id}/another-lamp", { ...of(id), body: wanted })),
  );
export const useMakeMaterial = (id: number) =>
  useMoveChange(id, (wanted: MaterialWanted) =>
    got(api.POST("/api/moves/{move_id}/make-material", { ...of(id), body: wanted })),
  );
export const useBackTo = (id: number) =>
  useMoveChange(id, (batch: number) =>
    got(api.POST("/api/moves/{move_id}/back-to", { ...of(id), body: { batch } })),
  );
export const useCopyInputs = (id: number) =>
  useMoveChange(id, (wanted: { source: string; targets: string[]; inputs: string[] }) =>
    got(api.POST("/api/moves/{move_id}/copy-inputs", { ...of(id), body: wanted })),
  );
export const useSwapInputs = (id: number) =>
  useMoveChange(id, (wanted: { material: string; first: string; second: string }) =>
    got(api.POST("/api/moves/{move_id}/swap-inputs", { ...of(id), body: wanted })),
  );
export const useUndo = (id: number) =>
  useMoveChange<void>(id, () => got(api.POST("/api/moves/{move_id}/undo", of(id))));
export const useRedo = (id: number) =>
  useMoveChange<void>(id, () => got(api.POST("/api/moves/{move_id}/redo", of(id))));
export const useChangeMove = (id: number) =>
  useMoveChange(id, (change: { name?: string; source?: string; destination?: string }) =>
    got(api.PATCH("/api/moves/{move_id}", { ...of(id), body: change })),
  );

/** Everything else that is done with a move: afterwards the move, and what is told of its jobs and proofs, is asked again. */
function useAct<Body>(id: number, act: (body: Body) => Promise<unknown>) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: () => client.invalidateQueries({ queryKey: ["move", id] }),
  });
}

export const useStartJob = (id: number) =>
  useAct(id, (job: JobAsked) =>
    got(api.POST("/api/moves/{move_id}/jobs", { ...of(id), body: { settings: {}, ...job } as never })),
  );
/** Asks again when a job of a kind is done. */
export function useAfter(job: Job | null | undefined, kinds: readonly Job["kind"][], again: () => unknown) {
  const finished = job && kinds.includes(job.kind) && job.state === "done" ? job.id : null;
  useEffect(() => {
    if (finished !== null) again();
    // What is asked may be a new function at every turn; only a job that ends counts.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [finished]);
}

export const useCancelJob = (id: number) =>
  useAct(id, (job_id: number) =>
    got(api.POST("/api/jobs/{job_id}/cancel", { params: { path: { job_id } } })),
  );
export const useNameProof = (id: number) =>
  useAct(id, ({ proof, name }: { proof: number; name: string }) =>
    got(api.PATCH("/api/proofs/{proof_id}", { params: { path: { proof_id: proof } }, body: { name } })),
  );

/** `revision` only asks again when another one is there. */
export const useFiles = (id: number, revision: number) =>
  useQuery({
    queryKey: ["move", id, "files", revision],
    queryFn: () => got(api.GET("/api/moves/{move_id}/files", of(id))),
  });
export type FileChange =
  | { act: "remove"; paths: string[] }
  | { act: "take-place"; path: string; place_of: string }
  | { act: "replace"; path: string; file: File }
  | { act: "back"; number: number };
/** A change of files is a revision, which is then read. */
export const useFileChange = (id: number) =>
  useAct(id, (change: FileChange) => {
    if (change.act === "remove")
      return got(api.POST("/api/moves/{move_id}/files/remove", { ...of(id), body: { paths: change.paths } }));
    if (change.act === "take-place") {
      const { path, place_of } = change;
      return got(api.POST("/api/moves/{move_id}/files/take-place", { ...of(id), body: { path, place_of } }));
    }
    if (change.act === "back")
      return got(
        api.POST("/api/moves/{move_id}/revisions/{number}/back", {
          params: { path: { move_id: id, number: change.number } },
        }),
      );
    return upload(
      `/moves/${id}/files/replace`,
      [{ path: change.file.name, file: change.file }],
      { path: change.path },
      () => undefined,
    );
  });
