import { useEffect, useRef, useState } from "react";

import { pictures } from "../../../api/client";
import { useOwnPictures } from "../../../api/ownPictures";
import { Slider } from "../../../ui/Slider";
import type { Place } from "../../../view/Framing";
import { NamedOptions } from "../../../ui/NamedOptions";

/** One's own picture held over the view, which stands where it was taken; as much of it as one wants. */
export function HeldOver({ move, onStand }: { move: number; onStand: (place: Place) => void }) {
  const all = useOwnPictures(move);
  const [id, setId] = useState("");
  const [strength, setStrength] = useState(50);
  const stand = useRef(onStand);
  useEffect(() => {
    stand.current = onStand;
  }, [onStand]);
  const found = all.data?.pictures.filter((one) => one.stands ?? one.camera) ?? [];
  const held = found.find((one) => String(one.id) === id);
  const camera = held && (held.camera ?? held.stands);
  const key = camera ? JSON.stringify(camera.matrix) : "";
  useEffect(() => {
    if (held && camera) stand.current({ ...camera, aspect: held.width / held.height });
    // It is stood there anew only where another place is meant.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key]);
  if (found.length === 0) return null;
  const [right, down] = camera?.shift ?? [0, 0];
  return (
    <>
      {held && (
        <span className="pointer-events-none! absolute inset-0 grid place-items-center overflow-hidden">
          <img
            src={pictures.blob(held.shown)}
            alt={`${held.name}, held over the view`}
            className="h-full w-full object-contain"
            style={{
              opacity: strength / 100,
              transform: `translate(${(right ?? 0) * 100}%, ${(down ?? 0) * 100}%)`,
            }}
          />
        </span>
      )}
      <span className="absolute top-12 right-3.5 flex items-center gap-2">
        <span className="plate flex items-center gap-1.5">
          <label htmlFor="held-over">held over it</label>
          <select
            id="held-over"
            className="bg-transparent"
            value={id}
            onChange={(event) => setId(event.target.value)}
          >
            <option value="">no picture</option>
            <NamedOptions of={found} />
          </select>
        </span>
        {held && (
          <Slider
            label="How much of it"
            value={strength}
            least={0}
            most={100}
            step={5}
            onChange={setStrength}
            words={(value) => `${value} %`}
            className="plate w-40"
          />
        )}
      </span>
    </>
  );
}
