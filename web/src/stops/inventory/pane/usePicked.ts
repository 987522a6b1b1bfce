import { useState } from "react";

export type Picked = Record<string, number[]>;

/** Faces picked by hand, by part and number as received; nothing while none are being picked. */
export function usePicked() {
  const [picked, setPicked] = useState<Picked | null>(null);
  const [area, setArea] = useState(false);
  const pick = (part: string, face: number) =>
    setPicked((held) => {
      const own = held?.[part] ?? [];
      return { ...held, [part]: own.includes(face) ? own.filter((other) => other !== face) : [...own, face] };
    });
  const pickArea = (found: Picked) =>
    setPicked((held) => ({
      ...held,
      ...Object.fromEntries(
        Object.entries(found).map(([part, faces]) => [
          part,
          [...new Set([...(held?.[part] ?? []), ...faces])],
        ]),
      ),
    }));
  return { picked, pick, pickArea, area, setArea, toggle: () => setPicked(picked ? null : {}) };
}
