import { useQuery } from "@tanstack/react-query";

import { api, got, type OwnPicture, upload } from "./client";
import { of, useChangeOf } from "./hooks";
import type { components } from "./schema";

type Said = components["schemas"]["OwnPictureIn"];
type Match = components["schemas"]["MatchIn"];
type Numbers = components["schemas"]["NumbersIn"];

const one = (id: number, picture: number) => ({ params: { path: { move_id: id, picture_id: picture } } });

/** One's own pictures of a move, and the open curves they may have been shown by. */
export const useOwnPictures = (id: number) =>
  useQuery({
    queryKey: ["move", id, "own pictures"],
    queryFn: () => got(api.GET("/api/moves/{move_id}/own-pictures", of(id))),
  });

export const useGiveOwnPicture = (id: number) =>
  useChangeOf(id, ({ file, view }: { file: File; view: string }) =>
    upload<OwnPicture>(`/moves/${id}/own-pictures`, [{ path: file.name, file }], { view }, () => undefined),
  );
export const useSayOwnPicture = (id: number) =>
  useChangeOf(id, ({ picture, said }: { picture: number; said: Said }) =>
    got(api.PATCH("/api/moves/{move_id}/own-pictures/{picture_id}", { ...one(id, picture), body: said })),
  );
export const useHoldOwnPicture = (id: number) =>
  useChangeOf(id, (picture: number) =>
    got(api.POST("/api/moves/{move_id}/own-pictures/{picture_id}/hold", one(id, picture))),
  );
export const useMatchLight = (id: number) =>
  useChangeOf(id, ({ picture, wanted }: { picture: number; wanted: Match }) =>
    got(
      api.POST("/api/moves/{move_id}/own-pictures/{picture_id}/light", {
        ...one(id, picture),
        body: wanted,
      }),
    ),
  );
export const useMatchMaterial = (id: number) =>
  useChangeOf(id, ({ picture, wanted }: { picture: number; wanted: Numbers }) =>
    got(
      api.POST("/api/moves/{move_id}/own-pictures/{picture_id}/material", {
        ...one(id, picture),
        body: wanted,
      }),
    ),
  );
export const useRemoveOwnPicture = (id: number) =>
  useChangeOf(id, (picture: number) =>
    got(api.DELETE("/api/moves/{move_id}/own-pictures/{picture_id}", one(id, picture))),
  );

/** One pixel of a held picture and of both sides. */
export const ownPixel = (id: number, picture: number, x: number, y: number) =>
  got(
    api.GET("/api/moves/{move_id}/own-pictures/{picture_id}/pixel", {
      params: { path: { move_id: id, picture_id: picture }, query: { x, y } },
    }),
  );
