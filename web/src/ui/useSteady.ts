import { useCallback, useLayoutEffect, useRef } from "react";

/** An act that stays the same as long as it is on the page, and does what it was given last: what is given it need not be drawn anew. */
export function useSteady<Given extends unknown[], Told>(
  act: (...given: Given) => Told,
): (...given: Given) => Told {
  const latest = useRef(act);
  useLayoutEffect(() => {
    latest.current = act;
  });
  return useCallback((...given: Given) => latest.current(...given), []);
}
