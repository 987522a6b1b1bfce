import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";

import {
  type Accounts,
  type Again,
  call,
  type CollisionCost,
  type Decision,
  type Families,
  type Fit,
  type Handover,
  type HistoryRow,
  type ImageFacts,
  type Inventory,
  type Job,
  type JobAsked,
  type LightData,
  type Lightmaps,
  type Mix,
  type Move,
  type Paint,
  type Proofs,
  type Proposal,
  type Sample,
  type SampleFile,
  send,
  type Sheet,
  type SheetDifference,
  type SheetInput,
  type Shelf,
} from "./client";

const RUNNING = new Set(["waiting", "running"]);
export const isRunning = (job: Job | null | undefined) => job != null && RUNNING.has(job.state);

export const useSheets = () =>
  useQuery({ queryKey: ["sheets"], queryFn: () => call<Sheet[]>("/sheets"), staleTime: Infinity });

export const useSheetInputs = (wanted: boolean) =>
  useQuery({
    queryKey: ["sheet inputs"],
    queryFn: () => call<SheetInput[]>("/sheet-inputs"),
    staleTime: Infinity,
    enabled: wanted,
  });
export const useComparison = (first: string, second: string) =>
  useQuery({
    queryKey: ["sheets", first, second],
    queryFn: () =>
      call<SheetDifference[]>(
        `/sheets/compare?first=${encodeURIComponent(first)}&second=${encodeURIComponent(second)}`,
      ),
  });

/** Everything that changes a sheet: afterwards the sheets are asked again, and every plan that follows one. */
function useSheetChange<Body, Answer>(act: (body: Body) => Promise<Answer>) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: ["sheets"] });
      void client.invalidateQueries({ queryKey: ["move"] });
    },
  });
}

const sheetPath = (name: string) => `/sheets/${encodeURIComponent(name.toLowerCase())}`;
export const useCopySheet = () =>
  useSheetChange(({ sheet, name }: { sheet: string; name: string }) =>
    send<Sheet>(`${sheetPath(sheet)}/copy`, "POST", { name }),
  );
export const useImportSheet = () =>
  useSheetChange((text: string) => send<Sheet>("/sheets/import", "POST", { text }));
export const useChangeSheet = (name: string) =>
  useSheetChange((lines: Record<string, unknown>) => send<Sheet>(sheetPath(name), "PATCH", { lines }));
export const useStepSheet = (name: string) =>
  useSheetChange((step: "undo" | "redo") => send<Sheet>(`${sheetPath(name)}/${step}`, "POST"));
export const useDeleteSheet = () => useSheetChange((name: string) => send<void>(sheetPath(name), "DELETE"));

export const useSamples = () =>
  useQuery({ queryKey: ["samples"], queryFn: () => call<SampleFile[]>("/samples"), staleTime: Infinity });

export const useMoves = () =>
  useQuery({
    queryKey: ["moves"],
    queryFn: () => call<Move[]>("/moves"),
    refetchOnMount: "always",
    refetchInterval: (query) => (query.state.data?.some((move) => isRunning(move.job)) ? 1000 : false),
  });

export const useMove = (id: number) =>
  useQuery({
    queryKey: ["move", id],
    queryFn: () => call<Move>(`/moves/${id}`),
    refetchInterval: (query) => (isRunning(query.state.data?.job) ? 500 : false),
  });

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
    queryFn: () => call<Inventory>(`/moves/${id}/inventory`),
    enabled: ready,
    refetchInterval: (query) => (query.state.data?.surveyed === false ? 1000 : false),
  });
  useTold(id, found.data?.surveyed);
  return found;
}
export const useAgain = (id: number) =>
  useQuery({ queryKey: ["move", id, "again"], queryFn: () => call<Again>(`/moves/${id}/again`) });
export function useFit(id: number) {
  const found = useQuery({
    queryKey: ["move", id, "fit"],
    queryFn: () => call<Fit>(`/moves/${id}/fit`),
    refetchInterval: (query) => (query.state.data?.measured === false ? 500 : false),
  });
  useTold(id, found.data?.measured);
  return found;
}
export const useFamilies = (id: number) =>
  useQuery({ queryKey: ["move", id, "families"], queryFn: () => call<Families>(`/moves/${id}/families`) });
export const useSiblings = (id: number, material: string, image: string | null) =>
  useQuery({
    queryKey: ["move", id, "siblings", material, image],
    queryFn: () =>
      call<Proposal[]>(
        `/moves/${id}/siblings?material=${encodeURIComponent(material)}&image=${encodeURIComponent(image ?? "")}`,
      ),
    enabled: image !== null,
  });
export const useDecisions = (id: number) =>
  useQuery({
    queryKey: ["move", id, "decisions"],
    queryFn: () => call<Decision[]>(`/moves/${id}/decisions`),
  });
export const useLight = (id: number) =>
  useQuery({ queryKey: ["move", id, "light"], queryFn: () => call<LightData>(`/moves/${id}/light`) });
export const useMix = (id: number) =>
  useQuery({ queryKey: ["move", id, "mix"], queryFn: () => call<Mix>(`/moves/${id}/mix`) });
export const useLightmaps = (id: number) =>
  useQuery({ queryKey: ["move", id, "lightmaps"], queryFn: () => call<Lightmaps>(`/moves/${id}/lightmaps`) });
export const useProofs = (id: number) =>
  useQuery({ queryKey: ["move", id, "proofs"], queryFn: () => call<Proofs>(`/moves/${id}/proofs`) });
export const useAccounts = (id: number) =>
  useQuery({ queryKey: ["move", id, "accounts"], queryFn: () => call<Accounts>(`/moves/${id}/accounts`) });
export const useHandovers = (id: number) =>
  useQuery({
    queryKey: ["move", id, "handovers"],
    queryFn: () => call<Handover[]>(`/moves/${id}/handovers`),
  });
/** A material's sample: a small one within a second, then the full one in its place. */
export function useSample(id: number, material: string, version: string) {
  const ask = (quick: boolean) =>
    call<Sample>(`/moves/${id}/samples?material=${encodeURIComponent(material)}&quick=${quick}`);
  const quick = useQuery({
    queryKey: ["move", id, "sample", material, version, "quick"],
    queryFn: () => ask(true),
    staleTime: Infinity,
  });
  const full = useQuery({
    queryKey: ["move", id, "sample", material, version],
    queryFn: () => ask(false),
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

export const useImageFacts = (id: number, image: string | null) =>
  useQuery({
    queryKey: ["image", id, image],
    queryFn: () => call<ImageFacts>(`/moves/${id}/image?image=${encodeURIComponent(image ?? "")}`),
    enabled: image !== null,
    staleTime: 60_000,
  });
export const useRenamePreview = (id: number, ids: string[], pattern: string, find: string) =>
  useQuery({
    queryKey: ["move", id, "rename", ids, pattern, find],
    queryFn: () =>
      send<Record<string, string>>(`/moves/${id}/rename-preview`, "POST", { ids, pattern, find }),
    enabled: ids.length > 0 && pattern !== "",
    retry: false,
  });

/** Everything that changes a move: afterwards all that is known of it is asked again. */
function useChange<Body>(id: number, act: (body: Body) => Promise<unknown>) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: () => client.invalidateQueries({ queryKey: ["move", id] }),
  });
}

export const useDecide = (id: number) =>
  useChange(id, (decisions: Decision[]) => send<Move>(`/moves/${id}/decisions`, "POST", decisions));
export const useHistory = (id: number) =>
  useQuery({ queryKey: ["move", id, "history"], queryFn: () => call<HistoryRow[]>(`/moves/${id}/history`) });
export const usePaint = (id: number, material: string, wanted: boolean) =>
  useQuery({
    queryKey: ["move", id, "paint", material],
    queryFn: () => call<Paint>(`/moves/${id}/paint?material=${encodeURIComponent(material)}`),
    enabled: wanted,
  });
export const useCollision = (id: number, part: string | null) =>
  useQuery({
    queryKey: ["move", id, "collision", part],
    queryFn: () => call<CollisionCost[]>(`/moves/${id}/collision?part=${encodeURIComponent(part ?? "")}`),
    enabled: part !== null,
  });
export const useShelf = (id: number, wanted: boolean) =>
  useQuery({
    queryKey: ["move", id, "shelf"],
    queryFn: () => call<Shelf>(`/moves/${id}/shelf`),
    enabled: wanted,
  });
export const useFromShelf = (id: number) =>
  useChange(id, (wanted: { slot: string; name: string }[]) =>
    send<Move>(`/moves/${id}/from-shelf`, "POST", wanted),
  );
export const useBackTo = (id: number) =>
  useChange(id, (batch: number) => send<Move>(`/moves/${id}/back-to`, "POST", { batch }));
export const useCopyInputs = (id: number) =>
  useChange(id, (wanted: { source: string; targets: string[]; inputs: string[] }) =>
    send<Move>(`/moves/${id}/copy-inputs`, "POST", wanted),
  );
export const useSwapInputs = (id: number) =>
  useChange(id, (wanted: { material: string; first: string; second: string }) =>
    send<Move>(`/moves/${id}/swap-inputs`, "POST", wanted),
  );
export const useUndo = (id: number) => useChange<void>(id, () => send<Move>(`/moves/${id}/undo`, "POST"));
export const useRedo = (id: number) => useChange<void>(id, () => send<Move>(`/moves/${id}/redo`, "POST"));
export const useChangeMove = (id: number) =>
  useChange(id, (change: { name?: string; source?: string; destination?: string }) =>
    send<Move>(`/moves/${id}`, "PATCH", change),
  );
export const useStartJob = (id: number) =>
  useChange(id, (job: JobAsked) => send<Job>(`/moves/${id}/jobs`, "POST", { settings: {}, ...job }));
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
  useChange(id, (job: number) => send<Job>(`/jobs/${job}/cancel`, "POST"));
export const useNameProof = (id: number) =>
  useChange(id, ({ proof, name }: { proof: number; name: string }) =>
    send<void>(`/proofs/${proof}`, "PATCH", { name }),
  );
