import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, filesOfDrop, got, type Job, type Move, Refused, upload } from "./client";
import { isRunning } from "./hooks";

const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/** A file dropped on something that reads it: it joins the delivery, and is read there once it is received. */
export function useFileHere(move: number, target: string) {
  const client = useQueryClient();
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<Error | null>(null);

  /** `inside` is done first; where it answers yes, no file was dropped. */
  async function take(transfer: DataTransfer, inside: () => Promise<boolean> = () => Promise.resolve(false)) {
    setBusy(true);
    setError(null);
    try {
      if (await inside()) return;
      const files = await filesOfDrop(transfer);
      if (!files.length) return;
      const made = await upload<Move>(`/moves/${move}/use-file`, files, { target }, () => undefined);
      let job: Job | null = made.job;
      while (isRunning(job)) {
        await pause(400);
        job = (await got(api.GET("/api/moves/{move_id}", { params: { path: { move_id: move } } }))).job;
      }
      if (job?.refusal) throw new Refused(job.refusal.what, job.refusal.where, job.refusal.remedy);
      await client.invalidateQueries({ queryKey: ["move", move] });
    } catch (reason) {
      setError(reason instanceof Error ? reason : new Error("It could not be taken in."));
    } finally {
      setBusy(false);
    }
  }

  return { take, busy, error };
}
