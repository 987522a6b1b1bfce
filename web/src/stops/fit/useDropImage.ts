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
      const first = files[0];
      if (!first) return;
      if (files.length > 1)
        throw new Refused(
          "Several files were dropped on one input.",
          crossing.label,
          "Drop one image here, or all of them on Inventory.",
        );
      const made = await upload<Move>(`/moves/${move.id}/files`, files, {}, () => undefined);
      const at = { params: { path: { move_id: move.id } } };
      let job: Job | null = made.job;
      while (isRunning(job)) {
        await pause(400);
        job = (await got(api.GET("/api/moves/{move_id}", at))).job;
      }
      const inventory = await got(api.GET("/api/moves/{move_id}/inventory", at));
      const name = first.path.split("/").pop();
      const found =
        inventory.images.find((image) => image.path === first.path) ??
        inventory.images.find((image) => image.name === name);
      if (!found || found.problem)
        throw new Refused(
          `${name ?? "The file"} is no image that can be read.`,
          crossing.label,
          "Drop a PNG, JPEG, TGA, TIFF, EXR, HDR, DDS or KTX2 file.",
        );
      await read(found.id);
    } catch (reason) {
      setError(reason instanceof Error ? reason : new Error("It could not be taken in."));
    } finally {
      setBusy(false);
    }
  }

  return { take, busy, error };
}
