import type { DragEvent } from "react";

import { useFileHere } from "../../api/useFile";

/** A picture dropped on the surroundings joins the delivery and lights the scene. */
export function useDropLight(move: number) {
  const { take, busy, error } = useFileHere(move, "environment");
  return {
    busy,
    error,
    handlers: {
      onDragOver: (event: DragEvent) => event.preventDefault(),
      onDrop: (event: DragEvent) => {
        event.preventDefault();
        void take(event.dataTransfer);
      },
    },
  };
}
