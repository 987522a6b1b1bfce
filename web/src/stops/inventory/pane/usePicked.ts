import { useState } from "react";

import { api, got } from "../../../api/client";
import type { paths } from "../../../api/schema";

export type Picked = Record<string, number[]>;
export type How =
  paths["/api/moves/{move_id}/faces-found"]["post"]["requestBody"]["content"]["application/json"]["how"];

/** Faces picked by hand, by part and number as received; nothing while none are being picked. What belongs to them is found by the core. */
export function usePicked(move: number) {
  const [picked, setPicked] = useState<Picked | null>(null);
  const [area, setArea] = useState(false);
  const [angle, setAngle] = useState(20);
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState("");

  const pick = (part: string, face: number) =>
    setPicked((held) => {
      const own = held?.[part] ?? [];
      return { ...held, [part]: own.includes(face) ? own.filter((other) => other !== face) : [...own, face] };
    });
  const add = (found: Picked) =>
    setPicked((held) => ({
      ...held,
      ...Object.fromEntries(
        Object.entries(found).map(([part, faces]) => [
          part,
          [...new Set([...(held?.[part] ?? []), ...faces])],
        ]),
      ),
    }));

  const found = (part: string, faces: number[], how: How) =>
    got(
      api.POST("/api/moves/{move_id}/faces-found", {
        params: { path: { move_id: move } },
        body: { part, faces, how, angle_deg: angle },
      }),
    );

  async function held(work: () => Promise<void>) {
    setBusy(true);
    setProblem("");
    try {
      await work();
    } catch (reason) {
      setProblem(reason instanceof Error ? reason.message : "It cannot be found.");
    } finally {
      setBusy(false);
    }
  }

  /** What belongs to the picked faces, in their place. */
  const grow = (how: How) =>
    void held(async () => {
      const made: Picked = {};
      for (const [part, faces] of Object.entries(picked ?? {}))
        if (faces.length) made[part] = await found(part, faces, how);
      setPicked(made);
    });

  /** The smooth surface that a face is in, taken as well. */
  const surface = (part: string, face: number) =>
    void held(async () => add({ [part]: await found(part, [face], "smooth") }));

  return {
    picked,
    pick,
    pickArea: add,
    surface,
    grow,
    area,
    setArea,
    angle,
    setAngle,
    busy,
    problem,
    count: Object.values(picked ?? {}).reduce((sum, faces) => sum + faces.length, 0),
    toggle: () => setPicked(picked ? null : {}),
    start: (faces: Picked) => setPicked(faces),
  };
}
export type Picking = ReturnType<typeof usePicked>;
