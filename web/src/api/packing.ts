import { useQuery } from "@tanstack/react-query";

import { useToldChange } from "./changing";
import { api, got } from "./client";
import { of } from "./hooks";
import type { components } from "./schema";

export type ListThing = components["schemas"]["ListThing"];
type HandedBack = components["schemas"]["HandedBack"];

/** The packing list as it stands. */
export const usePackingList = (id: number) =>
  useQuery({
    queryKey: ["move", id, "packing-list"],
    queryFn: () => got(api.GET("/api/moves/{move_id}/packing-list", of(id))),
  });

/** A changed packing list, or a line of it, handed back; with `try_only` only what it would change is told. */
export const useHandBack = (id: number) =>
  useToldChange(id, (wanted: { text: string; try_only: boolean }) =>
    got(api.POST("/api/moves/{move_id}/packing-list", { ...of(id), body: wanted })),
  );
export const isMisread = (told: HandedBack) => told.misread.length > 0;
