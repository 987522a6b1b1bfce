import { useQuery } from "@tanstack/react-query";

import { api, type Gauge, type GaugeBoard, got, upload } from "./client";
import { of, useChangeOf } from "./hooks";

/** The gauge of a move's destination: what is handed over, what came back, and what it says. */
export const useGauge = (id: number) =>
  useQuery({
    queryKey: ["move", id, "gauge"],
    queryFn: () => got(api.GET("/api/moves/{move_id}/gauge", of(id))),
  });

export const useMakeGauge = (id: number) =>
  useChangeOf(id, () => got(api.POST("/api/moves/{move_id}/gauge", of(id))));
export const useReadGauge = (id: number) =>
  useChangeOf(id, () => got(api.POST("/api/moves/{move_id}/gauge/read", of(id))));
export const useGiveBoard = (id: number) =>
  useChangeOf(id, ({ file, board }: { file: File; board: GaugeBoard["key"] }) =>
    upload<Gauge>(`/moves/${id}/gauge/pictures`, [{ path: file.name, file }], { board }, () => undefined),
  );
export const useTakeBoardAway = (id: number) =>
  useChangeOf(id, (board: GaugeBoard["key"]) =>
    got(
      api.DELETE("/api/moves/{move_id}/gauge/pictures/{board}", {
        params: { path: { move_id: id, board } },
      }),
    ),
  );
export const useGiveRod = (id: number) =>
  useChangeOf(id, (rod: NonNullable<Gauge["rod"]>) =>
    got(api.PUT("/api/moves/{move_id}/gauge/rod", { ...of(id), body: rod })),
  );
export const useUseGauge = (id: number) =>
  useChangeOf(
    id,
    (wanted: { name: string; take: boolean }) =>
      got(api.POST("/api/moves/{move_id}/gauge/use", { ...of(id), body: wanted })),
    "sheets",
  );
