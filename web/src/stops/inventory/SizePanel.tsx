import type { Inventory } from "../../api/client";
import { useDecide } from "../../api/hooks";

const UNITS = [
  [1, "metres"],
  [0.01, "centimetres"],
  [0.001, "millimetres"],
  [0.0254, "inches"],
  [0.3048, "feet"],
] as const;
const ORIGINS: Record<string, string> = { file: "The file says so.", sheet: "The source sheet says so; the file does not.", decision: "You chose it.", guess: "A guess: nobody says." };

/** Unit and up axis, with who says so, and a person to measure by. */
export function SizePanel({ move, size }: { move: number; size: Inventory["size"] }) {
  const decide = useDecide(move);
  const height = (size.high_m[1] ?? 0) - (size.low_m[1] ?? 0);
  const listed = UNITS.some(([value]) => value === size.unit_m);
  return (
    <section aria-label="Size" className="flex items-center gap-3 border-t border-base-300 bg-base-100 px-4 py-3">
      <div className="flex-1">
        <h3>How big is it?</h3>
        <p className="text-soft">
          {ORIGINS[size.unit_origin]} {height.toFixed(2)} m high, beside a person of 1.70 m.
        </p>
      </div>
      <label>
        <span className="sr-only">Unit</span>
        <select className="field font-mono text-[12px]" value={size.unit_m} onChange={(event) => decide.mutate([{ target: "scene", field: "unit_m", value: Number(event.target.value) }])}>
          {!listed && <option value={size.unit_m}>{size.unit_name}</option>}
          {UNITS.map(([value, name]) => (
            <option key={value} value={value}>
              {name}, {value} m
            </option>
          ))}
        </select>
      </label>
      <label>
        <span className="sr-only">Up axis</span>
        <select className="field font-mono text-[12px]" value={size.up_axis} onChange={(event) => decide.mutate([{ target: "scene", field: "up_axis", value: event.target.value }])}>
          {["X", "Y", "Z"].map((axis) => (
            <option key={axis} value={axis}>
              {axis} up
            </option>
          ))}
        </select>
      </label>
    </section>
  );
}
