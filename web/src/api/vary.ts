import { useQuery } from "@tanstack/react-query";

import { useToldChange } from "./changing";
import { api, got } from "./client";
import { about, of } from "./hooks";

/** How a material differs from another, in words, and what of it others cannot take. */
export const useDifference = (id: number, first: string, second: string) =>
  useQuery({
    queryKey: ["move", id, "fit", "difference", first, second],
    queryFn: () => got(api.GET("/api/moves/{move_id}/difference", about(id, { first, second }))),
    enabled: first !== "" && second !== "",
  });

/** The difference put on other materials; what could not be is told. */
export const useVary = (id: number) =>
  useToldChange(id, (wanted: { first: string; second: string; targets: string[]; amount: number }) =>
    got(api.POST("/api/moves/{move_id}/vary", { ...of(id), body: wanted })),
  );
