import { useCallback, useRef, useState } from "react";

import { api, got } from "../../../api/client";
import type { paths } from "../../../api/schema";
import type { Drawn, DrawWith } from "../../../view/Area";

export type Picked = Record<string, number[]>;
export type How =
  paths["/api/moves/{move_id}/faces-found"]["post"]["requestBody"]["content"]["application/json"]["how"];

/** How faces are picked: pressed one by one, or under what is drawn over the view. */
export type PickBy = "press" | DrawWith;

/** Faces picked by hand, by part and number as received; nothing while none are being picked. What belongs to them is found by the core. */
export function usePicked(move: number, within: string[]) {
  const [picked, setPicked] = useState<Picked | null>(null);
  const [by, setBy] = useState<PickBy>("press");
  const [through, setThrough] = useState(false);
  const [off, setOff] = useState(false);
  const [brush_px, setBrush] = useState(24);
  const [angle, setAngle] = useState(20);
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState("");

  const pick = (part: string, face: number) =>
    setPicked((held) => {
      const own = held?.[part] ?? [];
      return { ...held, [part]: own.includes(face) ? own.filter((other) => other !== face) : [...own, face] };
    });
  const add = (found: Picked, away = false) =>
    setPicked((held) => ({
      ...held,
      ...Object.fromEntries(
        Object.entries(found).map(([part, faces]) => {
          const own = held?.[part] ?? [];
          const these = new Set(faces);
          return [part, away ? own.filter((face) => !these.has(face)) : [...new Set([...own, ...faces])]];
        }),
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

  const asked = useRef({ through, off, within });
  asked.current = { through, off, within };
  /** Faces under what was drawn over the view, taken as well, or taken off. */
  const drawn = useCallback(
    (what: Drawn) =>
      void held(async () => {
        const { through, off, within } = asked.current;
        const found = await got(
          api.POST("/api/moves/{move_id}/faces-drawn", {
            params: { path: { move_id: move } },
            body: { ...what, through, parts: within },
          }),
        );
        add(found, off);
      }),
    [move],
  );

  /** The smooth surface that a face is in, taken as well. */
  const surface = (part: string, face: number) =>
    void held(async () => add({ [part]: await found(part, [face], "smooth") }));

  return {
    picked,
    pick,
    surface,
    grow,
    by,
    setBy,
    through,
    setThrough,
    off,
    setOff,
    brush_px,
    setBrush,
    drawn,
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
