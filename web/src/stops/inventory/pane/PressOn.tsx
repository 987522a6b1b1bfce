import { useEffect, useRef, useState } from "react";

import type { Inventory } from "../../../api/client";
import { usePressOn } from "../../../api/pointing";
import { NumberField } from "../../../ui/NumberField";
import type { Place } from "./usePlaces";
import { NamedOptions } from "../../../ui/NamedOptions";

const WIDE = { words: "a width above zero, in metres", above: 0, maximum: 1e4 };
const TURN = { words: "degrees from -360 to 360", minimum: -360, maximum: 360 };

/** A picture laid over the model where it is pressed, then sized and turned there; it arrives flattened. */
export function PressOn({
  move,
  data,
  place,
  onDone,
}: {
  move: number;
  data: Inventory;
  place: Place | null;
  onDone: () => void;
}) {
  const press = usePressOn(move);
  const images = data.images.filter((image) => !image.problem);
  const reach = Math.hypot(...data.size.high_m.map((high, axis) => high - (data.size.low_m[axis] ?? 0)));
  const [image, setImage] = useState(images[0]?.id ?? "");
  const [width, setWidth] = useState(Number((reach / 20).toPrecision(2)) || 0.1);
  const [turn, setTurn] = useState(0);
  /** Where it lies by now, and its number among the layers there. */
  const [laid, setLaid] = useState<{ place: Place; index: number } | null>(null);
  const lay = (at: Place, change: { image?: string; width_m?: number; turn_deg?: number }, again: boolean) =>
    press.mutate(
      {
        image,
        width_m: width,
        turn_deg: turn,
        uv_set: 0,
        ...at,
        ...change,
        instead_of: again && laid ? laid.index : null,
      },
      { onSuccess: ({ index }) => setLaid({ place: at, index }) },
    );
  const latest = useRef(lay);
  latest.current = lay;
  useEffect(() => {
    if (place) latest.current(place, {}, false);
  }, [place]);
  const change = (next: { image?: string; width_m?: number; turn_deg?: number }) =>
    laid && lay(laid.place, next, true);
  return (
    <div
      role="group"
      aria-label="Press a picture on"
      className="flex max-w-full flex-wrap items-center gap-2 border border-base-content bg-base-100 px-2 py-1.5"
    >
      <select
        className="field h-6 max-w-[170px]"
        aria-label="Picture"
        value={image}
        onChange={(event) => {
          setImage(event.target.value);
          change({ image: event.target.value });
        }}
      >
        <NamedOptions of={images} />
      </select>
      <label className="flex items-center gap-1">
        <NumberField
          label="Width of the picture, metres"
          value={width}
          range={WIDE}
          digits={3}
          className="w-16"
          onSet={(width_m) => {
            setWidth(width_m);
            change({ width_m });
          }}
        />
        m wide
      </label>
      <label className="flex items-center gap-1">
        turned
        <NumberField
          label="Turn of the picture, degrees"
          value={turn}
          range={TURN}
          digits={3}
          className="w-14"
          onSet={(turn_deg) => {
            setTurn(turn_deg);
            change({ turn_deg });
          }}
        />
        °
      </label>
      <span role="status" className="text-soft">
        {press.isPending
          ? "Laying it on…"
          : press.data
            ? press.data.told ||
              "It lies there, and arrives flattened into the image. Press again for one more."
            : images.length
              ? "Press the place where it belongs"
              : "No picture came along: add one under Files"}
      </span>
      <button className="press h-6 px-2" onClick={onDone}>
        Done
      </button>
      {press.error && (
        <span role="alert" className="text-primary">
          {press.error.message}
        </span>
      )}
    </div>
  );
}
