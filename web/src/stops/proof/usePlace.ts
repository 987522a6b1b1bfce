import { useCallback, useMemo, useState } from "react";

/** Where one looks in pictures that move together: enlargement, and the point that stands in the middle, from 0 to 1. */
export interface Place {
  scale: number;
  x: number;
  y: number;
}

const MOST = 32;
const START: Place = { scale: 1, x: 0.5, y: 0.5 };

function held({ scale, x, y }: Place): Place {
  const half = 0.5 / scale;
  return { scale, x: Math.min(Math.max(x, half), 1 - half), y: Math.min(Math.max(y, half), 1 - half) };
}

/** One place for all pictures of a booth, with the ways to change it. */
export function usePlace() {
  const [place, setPlace] = useState<Place>(START);
  /** Enlarge about a point of the picture. */
  const zoom = useCallback((factor: number, at?: { u: number; v: number }) => {
    setPlace((old) => {
      const scale = Math.min(Math.max(old.scale * factor, 1), MOST);
      if (!at) return held({ ...old, scale });
      const kept = old.scale / scale;
      return held({ scale, x: at.u + (old.x - at.u) * kept, y: at.v + (old.y - at.v) * kept });
    });
  }, []);
  /** Move by a share of what is seen. */
  const pan = useCallback(
    (du: number, dv: number) =>
      setPlace((old) => held({ ...old, x: old.x + du / old.scale, y: old.y + dv / old.scale })),
    [],
  );
  const whole = useCallback(() => setPlace(START), []);
  return useMemo(() => ({ place, zoom, pan, whole }), [place, zoom, pan, whole]);
}

/** The point of a picture under a pointer in its frame, from 0 to 1. */
export function pointAt(place: Place, box: DOMRect, clientX: number, clientY: number) {
  return {
    u: place.x + ((clientX - box.left) / box.width - 0.5) / place.scale,
    v: place.y + ((clientY - box.top) / box.height - 0.5) / place.scale,
  };
}
