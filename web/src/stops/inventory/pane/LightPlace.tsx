import { useEffect, useRef, useState } from "react";

import { useLight } from "../../../api/hooks";
import { useLightPlace } from "../../../api/pointing";
import { NamedOptions } from "../../../ui/NamedOptions";
import type { Place } from "./usePlaces";

type Side = "left" | "right" | "front" | "behind" | "above";
const SIDES: [Side, string][] = [
  ["left", "from the left"],
  ["right", "from the right"],
  ["front", "from the front"],
  ["behind", "from behind"],
  ["above", "from above"],
];

/** Which lamp lights the place that is pressed, and from which side; where it has to stand is found. */
export function LightPlace({
  move,
  light,
  place,
  onDone,
}: {
  move: number;
  /** The lamp that was asked for, if any. */
  light: string;
  place: Place | null;
  onDone: () => void;
}) {
  const lights = useLight(move);
  const put = useLightPlace(move);
  const [lamp, setLamp] = useState(light);
  const [side, setSide] = useState<Side>("left");
  const lamps = (lights.data?.lights ?? []).filter((one) => !one.opening);
  const solve = (lamp: string, side: Side) => {
    if (!place) return;
    const known = new Set(lamps.map((one) => one.id));
    put.mutate(
      { light: lamp || null, side, ...place },
      // What was just made is the lamp that is moved from now on.
      { onSuccess: () => !lamp && void lights.refetch().then(({ data }) => name(data?.lights, known)) },
    );
  };
  const name = (now: { id: string }[] | undefined, known: Set<string>) =>
    setLamp(now?.find((one) => !known.has(one.id))?.id ?? "");
  const latest = useRef(solve);
  latest.current = solve;
  useEffect(() => {
    if (place) latest.current(lamp, side);
    // Another place asks anew; a lamp or a side that is chosen asks by itself.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [place]);
  return (
    <div
      role="group"
      aria-label="Light a place"
      className="flex max-w-full flex-wrap items-center gap-2 border border-base-content bg-base-100 px-2 py-1.5"
    >
      <select
        className="field h-6 max-w-[170px]"
        aria-label="Lamp"
        value={lamp}
        onChange={(event) => setLamp(event.target.value)}
      >
        <option value="">a new spot</option>
        <NamedOptions of={lamps} />
      </select>
      <select
        className="field h-6"
        aria-label="From which side"
        value={side}
        onChange={(event) => {
          setSide(event.target.value as Side);
          solve(lamp, event.target.value as Side);
        }}
      >
        {SIDES.map(([key, words]) => (
          <option key={key} value={key}>
            {words}
          </option>
        ))}
      </select>
      <span role="status" className="text-soft">
        {put.isPending
          ? "Finding where it has to stand…"
          : put.isSuccess
            ? "It stands where nothing is in the way. Press another place, or choose another side."
            : "Press the place that is to be lit"}
      </span>
      <button className="press h-6 px-2" onClick={onDone}>
        Done
      </button>
      {put.error && (
        <span role="alert" className="text-primary">
          {put.error.message}
        </span>
      )}
    </div>
  );
}
