import type { Crossing, Move } from "../../api/client";
import { deciding } from "../../api/decisions";
import { useDecide } from "../../api/hooks";
import { useFileHere } from "../../api/useFile";

/** Type of an image of the delivery that is dragged inside the application. */
export const DRAGGED = "application/x-trasloco-image";

/** An image dropped on an input: one of the delivery at once, a file after it was taken into the delivery. */
export function useDropImage(move: Move, crossing: Crossing) {
  const decide = useDecide(move.id);
  const { take, busy, error } = useFileHere(move.id, crossing.id);

  async function inside(image: string): Promise<boolean> {
    if (!image) return false;
    await decide.mutateAsync([
      deciding(crossing.id, "image", { image, channels: crossing.given.channels, invert: false }),
    ]);
    return true;
  }

  return {
    take: (transfer: DataTransfer) => {
      const image = transfer.getData(DRAGGED);
      return take(transfer, () => inside(image));
    },
    busy,
    error,
  };
}
