import { useQuery } from "@tanstack/react-query";
import { type RefObject, useLayoutEffect, useState } from "react";

import { api, got, type Opening } from "../api/client";
import { about } from "../api/hooks";

const STEP = 0.05;

/** How many times as wide as high a box is, in steps, none too narrow; nothing before it is laid out. */
export function useAspect(box: RefObject<HTMLElement | null>): number | null {
  const [aspect, setAspect] = useState<number | null>(null);
  useLayoutEffect(() => {
    const { width, height } = box.current?.getBoundingClientRect() ?? { width: 0, height: 0 };
    if (!height) return;
    setAspect(Math.min(Math.max(Math.ceil(width / height / STEP) * STEP, 0.25), 4));
  }, [box]);
  return aspect;
}

/** Where a view of a move stands when it is opened, with a still of it, asked for until that is there. */
export function useOpening(
  move: number,
  side: "received" | "mended",
  aspect: number | null,
  wanted: boolean,
): Opening | null {
  const found = useQuery({
    queryKey: ["opening", move, side, aspect],
    queryFn: () =>
      got(api.GET("/api/moves/{move_id}/opening", about(move, { side, aspect: Number(aspect?.toFixed(3)) }))),
    enabled: wanted && aspect !== null,
    staleTime: Infinity,
    gcTime: 0,
    retry: false,
    refetchInterval: (query) => (query.state.data?.still === null ? 200 : false),
  });
  return found.data ?? null;
}
