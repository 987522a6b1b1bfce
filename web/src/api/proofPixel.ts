import { api, got } from "./client";

/** One pixel of a kept proof on both sides. */
export const proofPixel = (proof: number, view: string, x: number, y: number) =>
  got(
    api.GET("/api/proofs/{proof_id}/pixel", {
      params: { path: { proof_id: proof }, query: { view, x, y } },
    }),
  );
