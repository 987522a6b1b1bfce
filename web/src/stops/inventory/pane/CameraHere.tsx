import { useState } from "react";

import type { Inventory } from "../../../api/client";
import { useCameraHere } from "../../../api/hooks";
import type { StandingNow } from "./useKeepView";

const NEW = "new";

/** A camera of the move put where the view stands, or a new one that travels. */
export function CameraHere({
  move,
  data,
  standing,
}: {
  move: number;
  data: Inventory;
  standing: StandingNow;
}) {
  const put = useCameraHere(move);
  const [told, setTold] = useState("");
  return (
    <select
      className="plate cursor-pointer"
      aria-label="Camera here"
      title="Cameras travel; views that are kept are for proofs"
      value=""
      disabled={put.isPending}
      onChange={(event) => {
        const camera = event.target.value;
        const stand = standing.current?.();
        if (!stand) return setTold("Not drawn yet");
        put.mutate(
          { camera: camera === NEW ? null : camera, aspect: 16 / 9, ...stand },
          {
            onSuccess: () => setTold(camera === NEW ? "Camera made" : "Camera put here"),
            onError: (reason) => setTold(reason.message),
          },
        );
      }}
    >
      <option value="" disabled>
        {told || "Camera here…"}
      </option>
      <option value={NEW}>a new one</option>
      {data.cameras.map((camera) => (
        <option key={camera.id} value={camera.id}>
          put {camera.name} here
        </option>
      ))}
    </select>
  );
}
