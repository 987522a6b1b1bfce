import { useState } from "react";

import type { Inventory } from "../../api/client";
import { deciding, type ValueOf } from "../../api/decisions";
import { useDecide } from "../../api/hooks";

const UNITS = [
  [1, "metres"],
  [0.01, "centimetres"],
  [0.001, "millimetres"],
  [0.0254, "inches"],
  [0.3048, "feet"],
] as const;
const ORIGINS: Record<string, string> = {
  file: "The file says so.",
  sheet: "The source sheet says so; the file does not.",
  decision: "You chose it.",
  guess: "A guess: nobody says.",
};

/** Unit and up axis, with who says so, and a person to measure by. */
export function SizePanel({ move, size }: { move: number; size: Inventory["size"] }) {
  const decide = useDecide(move);
  const height = (size.high_m[1] ?? 0) - (size.low_m[1] ?? 0);
  // Answered by the file or by the artist, the question folds away.
  const answered = size.unit_origin === "file" || size.unit_origin === "decision";
  const [asked, setOpen] = useState<boolean | null>(null);
  const open = asked ?? !answered;
  const listed = UNITS.some(([value]) => value === size.unit_m);
  return (
    <section aria-label="Size" className="shrink-0 border-t border-base-300 bg-base-100 px-4 py-2.5">
      <button
        className="flex w-full items-baseline gap-2 text-left"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
      >
        <h3>{answered ? "Size" : "How big is it?"}</h3>
        {!open && (
          <span className="min-w-0 flex-1 truncate text-soft">
            {height.toFixed(2)} m high, in {size.unit_name}, {size.up_axis} up
          </span>
        )}
        <span className="ml-auto font-mono text-soft" aria-hidden>
          {open ? "−" : "+"}
        </span>
      </button>
      {open && (
        <>
          <p className="text-soft">
            {ORIGINS[size.unit_origin]} {height.toFixed(2)} m high; a person is 1.70 m.
          </p>
          <div className="mt-1.5 flex flex-wrap items-center gap-2">
            <label>
              <span className="sr-only">Unit</span>
              <select
                className="field font-mono text-[12px]"
                value={size.unit_m}
                onChange={(event) =>
                  decide.mutate([{ target: "scene", field: "unit_m", value: Number(event.target.value) }])
                }
              >
                {!listed && <option value={size.unit_m}>{size.unit_name}</option>}
                {UNITS.map(([value, name]) => (
                  <option key={value} value={value}>
                    {name}, {value} m
                  </option>
                ))}
              </select>
            </label>
            <Known
              height={height}
              onScale={(value) =>
                decide.mutate([{ target: "scene", field: "scale", value: value * size.scale }])
              }
            />
            <label>
              <span className="sr-only">Up axis</span>
              <select
                className="field font-mono text-[12px]"
                value={size.up_axis}
                onChange={(event) =>
                  decide.mutate([deciding("scene", "up_axis", event.target.value as ValueOf<"up_axis">)])
                }
              >
                {["X", "Y", "Z"].map((axis) => (
                  <option key={axis} value={axis}>
                    {axis} up
                  </option>
                ))}
              </select>
            </label>
            {[["Stand on the ground", "stand_on_ground"] as const, ["Centre", "recentre"] as const].map(
              ([label, field]) => (
                <button
                  key={field}
                  className="press"
                  disabled={decide.isPending}
                  onClick={() => decide.mutate([{ target: "scene", field, value: true }])}
                >
                  {label}
                </button>
              ),
            )}
          </div>
        </>
      )}
    </section>
  );
}

/** A known height: type it and the scale follows. */
function Known({ height, onScale }: { height: number; onScale: (factor: number) => void }) {
  const [text, setText] = useState("");
  const wanted = Number(text);
  const factor = wanted / height;
  return (
    <form
      className="flex items-center gap-1"
      onSubmit={(event) => {
        event.preventDefault();
        if (wanted > 0 && height > 0) onScale(factor);
        setText("");
      }}
    >
      <input
        className="field w-16 text-right font-mono text-[12px]"
        inputMode="decimal"
        aria-label="Known height in metres"
        placeholder={height.toFixed(2)}
        title="Type the height it should have; the scale follows"
        value={text}
        onChange={(event) => setText(event.target.value)}
      />
      <span className="text-soft">m</span>
    </form>
  );
}
