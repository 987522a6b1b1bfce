import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, type Gauge, type GaugeBoard, got, upload } from "./client";
import { of } from "./hooks";

/** The gauge of a move's destination: what is handed over, what came back, and what it says. */
export const useGauge = (id: number) =>
  useQuery({
    queryKey: ["move", id, "gauge"],
    queryFn: () => got(api.GET("/api/moves/{move_id}/gauge", of(id))),
  });

/** An act after which the move is asked anew. */
function useChange<Wanted, Told>(id: number, act: (wanted: Wanted) => Promise<Told>) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: () =>
      Promise.all([
        client.invalidateQueries({ queryKey: ["move", id] }),
        client.invalidateQueries({ queryKey: ["sheets"] }),
      ]),
  });
}

export const useMakeGauge = (id: number) =>
  useChange(id, () => got(api.POST("/api/moves/{move_id}/gauge", of(id))));
export const useReadGauge = (id: number) =>
  useChange(id, () => got(api.POST("/api/moves/{move_id}/gauge/read", of(id))));
export const useGiveBoard = (id: number) =>
  useChange(id, ({ file, board }: { file: File; board: GaugeBoard["key"] }) =>
    upload<Gauge>(`/moves/${id}/gauge/pictures`, [{ path: file.name, file }], { board }, () => undefined),
  );
export const useTakeBoardAway = (id: number) =>
  useChange(id, (board: GaugeBoard["key"]) =>
    got(
      api.DELETE("/api/moves/{move_id}/gauge/pictures/{board}", {
        params: { path: { move_id: id, board } },
      }),
    ),
  );
export const useUseGauge = (id: number) =>
  useChange(id, (wanted: { name: string; take: boolean }) =>
    got(api.POST("/api/moves/{move_id}/gauge/use", { ...of(id), body: wanted })),
  );
