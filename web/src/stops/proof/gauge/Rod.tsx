import { useState } from "react";

import type { Gauge } from "../../../api/client";
import { useGiveRod } from "../../../api/gauge";
import { Notice } from "../../../ui/Notice";

const UNITS = [
  ["m", "metres"],
  ["cm", "centimetres"],
  ["mm", "millimetres"],
  ["in", "inches"],
  ["ft", "feet"],
] as const;
type Unit = (typeof UNITS)[number][0];

/** How long the program shows the rod of a metre to be: a picture cannot tell lengths. */
export function Rod({ move, rod }: { move: number; rod: Gauge["rod"] }) {
  const give = useGiveRod(move);
  const [length, setLength] = useState(rod?.length == null ? "" : String(rod.length));
  const [unit, setUnit] = useState<Unit>(rod?.unit ?? "m");
  const number = Number(length.replace(",", "."));
  const empty = !length.trim();
  const changed = empty ? rod !== null : rod?.length !== number || rod.unit !== unit;
  return (
    <form
      aria-label="The rod"
      className="border-t border-base-300 py-3"
      onSubmit={(event) => {
        event.preventDefault();
        give.mutate({ length: empty ? null : number, unit });
      }}
    >
      <b>The rod</b>
      <p className="text-[12px] text-soft">
        It lies below the cells of the first board and is one metre long. No picture tells lengths: look up
        how long your program shows it to be.
      </p>
      <div className="mt-1 flex items-end gap-2">
        <label>
          <span className="sr-only">Length of the rod, as the program shows it</span>
          <input
            className="field w-24 font-mono"
            inputMode="decimal"
            placeholder="1"
            value={length}
            onChange={(event) => setLength(event.target.value)}
          />
        </label>
        <label>
          <span className="sr-only">Unit of that length</span>
          <select
            className="field w-32"
            value={unit}
            onChange={(event) => setUnit(event.target.value as Unit)}
          >
            {UNITS.map(([key, words]) => (
              <option key={key} value={key}>
                {words}
              </option>
            ))}
          </select>
        </label>
        <button className="press" disabled={!changed || give.isPending || (!empty && !(number > 0))}>
          {empty && rod ? "Forget it" : "Take it"}
        </button>
      </div>
      {give.error && <Notice error={give.error} />}
    </form>
  );
}
