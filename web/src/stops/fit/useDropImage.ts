import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, type Crossing, filesOfDrop, got, type Job, type Move, Refused, upload } from "../../api/client";
import { deciding } from "../../api/decisions";
import { isRunning, useDecide } from "../../api/hooks";

/** Type of an image of the delivery that is dragged inside the application. */
export const DRAGGED = "application/x-trasloco-image";

const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/** An image dropped on an input: one of the delivery at once, a file after it was taken into the delivery. */
export function useDropImage(move: Move, crossing: Crossing) {
  const decide = useDecide(move.id);
  const client = useQueryClient();
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<Error | null>(null);

  async function read(image: string) {
    await decide.mutateAsync([
      deciding(crossing.id, "image", { image, channels: crossing.given.channels, invert: false }),
    ]);
  }

  async function take(transfer: DataTransfer) {
    const inside = transfer.getData(DRAGGED);
    setBusy(true);
    setError(null);
    try {
      if (inside) return await read(inside);
      const files = await filesOfDrop(transfer);
      if (!files.length) return;
      const made = await upload<Move>(
        `/moves/${move.id}/use-file`,
        files,
        { target: crossing.id },
        () => undefined,
      );
      let job: Job | null = made.job;
      while (isRunning(job)) {
        await pause(400);
        job = (await got(api.GET("/api/moves/{move_id}", { params: { path: { move_id: move.id } } }))).job;
      }
      if (job?.refusal) throw new Refused(job.refusal.what, job.refusal.where, job.refusal.remedy);
      await client.invalidateQueries({ queryKey: ["move", move.id] });
    } catch (reason) {
      setError(reason instanceof Error ? reason : new Error("It could not be taken in."));
    } finally {
      setBusy(false);
    }
  }

  return { take, busy, error };
}
