import { useCallback, useRef, useState } from "react";

import { api, got } from "../../../api/client";
import type { Point } from "../../../view/Measured";

/** Walking in the scene: what blocks, what was in the way last, and the step that the core allows. */
export function useWalking(move: number) {
  const [everything, setEverything] = useState(false);
  const [met, setMet] = useState<string | null>(null);
  const [unsaid, setUnsaid] = useState<number | null>(null);
  const [problem, setProblem] = useState("");
  const asked = useRef(everything);
  asked.current = everything;
  const step = useCallback(
    async (eye: Point, heading: [number, number], far_m: number): Promise<Point | null> => {
      try {
        const made = await got(
          api.POST("/api/moves/{move_id}/walk", {
            params: { path: { move_id: move } },
            body: { eye, heading, far_m, everything: asked.current },
          }),
        );
        setMet(made.stopped_by);
        setUnsaid(made.unsaid);
        setProblem("");
        return made.eye as Point;
      } catch (reason) {
        setProblem(reason instanceof Error ? reason.message : "That step cannot be taken.");
        return null;
      }
    },
    [move],
  );
  return { everything, setEverything, met, unsaid, problem, step };
}
export type Walking = ReturnType<typeof useWalking>;
