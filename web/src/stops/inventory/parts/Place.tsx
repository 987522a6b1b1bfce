import { useState } from "react";

import type { Inventory } from "../../../api/client";

const AXES = ["x", "y", "z"] as const;

/** Moved, turned and sized by numbers: those that were decided last, the whole change and not one more step. */
export function Place({
  place,
  mixed,
  busy,
  onPlace,
  children,
}: {
  place: Inventory["parts"][number]["place"];
  mixed: boolean;
  busy: boolean;
  onPlace: (value: Record<string, unknown>) => void;
  children: React.ReactNode;
}) {
  const [move, setMove] = useState((place?.move_m ?? [0, 0, 0]).map(String));
  const [turn, setTurn] = useState((place?.turn_deg ?? [0, 0, 0]).map(String));
  const [size, setSize] = useState(String(place?.size ?? 1));
  const row = (label: string, unit: string, values: string[], put: (values: string[]) => void) => (
    <div className="flex items-center gap-2">
      <span className="w-12">{label}</span>
      {AXES.map((axis, at) => (
        <label key={axis} className="flex items-center gap-1">
          <span className="font-mono text-[12px] text-soft">{axis}</span>
          <input
            className="field w-20 text-right font-mono"
            inputMode="decimal"
            aria-label={`${label} ${axis}`}
            value={values[at]}
            onChange={(event) => put(values.map((value, k) => (k === at ? event.target.value : value)))}
          />
        </label>
      ))}
      <span className="text-soft">{unit}</span>
    </div>
  );
  const numbers = (values: string[]) => values.map(Number);
  const sound =
    [...move, ...turn, size].every((value) => value.trim() !== "" && Number.isFinite(Number(value))) &&
    Number(size) > 0;
  return (
    <section className="border-t border-base-300 px-4 py-2">
      <h3 className="mb-1">Place</h3>
      <form
        className="flex flex-col gap-1.5"
        onSubmit={(event) => {
          event.preventDefault();
          onPlace({ move_m: numbers(move), turn_deg: numbers(turn), size: Number(size) });
        }}
      >
        {row("Move", "m", move, setMove)}
        {row("Turn", "°", turn, setTurn)}
        <div className="flex items-center gap-2">
          <span className="w-12">Size</span>
          <label className="flex items-center gap-1">
            <span className="font-mono text-[12px] text-soft">×</span>
            <input
              className="field w-20 text-right font-mono"
              inputMode="decimal"
              aria-label="Size"
              value={size}
              onChange={(event) => setSize(event.target.value)}
            />
          </label>
          <button className="press" disabled={!sound || busy}>
            Place
          </button>
          {sound && mixed && <span className="text-soft">They are placed differently now.</span>}
          {!sound && <span className="text-primary">Numbers only; the size above zero.</span>}
        </div>
      </form>
      <div className="mt-2 flex flex-wrap gap-1.5">{children}</div>
    </section>
  );
}
