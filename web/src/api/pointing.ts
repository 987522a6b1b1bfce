import { useMoveChange, useToldChange } from "./changing";
import { api, got } from "./client";
import { of } from "./hooks";
import type { paths } from "./schema";

/** What is sent to an act of a move. */
type Sent<Path extends keyof paths> = paths[Path] extends {
  post: { requestBody: { content: { "application/json": infer Body } } };
}
  ? Body
  : never;

/** Openings beside picked faces, by part and number as received. */
export const useCoverHoles = (id: number) =>
  useMoveChange(id, (faces: Record<string, number[]>) =>
    got(api.POST("/api/moves/{move_id}/cover-holes", { ...of(id), body: { faces } })),
  );
/** A lamp put where it lights a place from a side. */
export const useLightPlace = (id: number) =>
  useMoveChange(id, (wanted: Sent<"/api/moves/{move_id}/light-place">) =>
    got(api.POST("/api/moves/{move_id}/light-place", { ...of(id), body: wanted })),
  );
/** An opening or a panel that fills the frame of picked faces. */
export const useFillFrame = (id: number) =>
  useMoveChange(id, (wanted: Sent<"/api/moves/{move_id}/fill-frame">) =>
    got(api.POST("/api/moves/{move_id}/fill-frame", { ...of(id), body: wanted })),
  );
/** A picture pressed onto the model; where it lies is told with the move. */
export const usePressOn = (id: number) =>
  useToldChange(id, (wanted: Sent<"/api/moves/{move_id}/press-on">) =>
    got(api.POST("/api/moves/{move_id}/press-on", { ...of(id), body: wanted })),
  );
/** A plain backdrop that is white in the picture. */
export const useWhiteBackdrop = (id: number) =>
  useMoveChange(id, () => got(api.POST("/api/moves/{move_id}/white-backdrop", of(id))));
