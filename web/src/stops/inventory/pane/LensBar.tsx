import type { Material } from "../../../api/client";
import { type Lens, LENSES, OF_A_SET } from "../../../view/lensNames";

/** What of the model is looked at. */
export function LensBar({
  lens,
  input,
  materials,
  onLens,
  onInput,
  set,
  sets,
  onSet,
}: {
  lens: Lens;
  input: string;
  materials: Material[];
  onLens: (lens: Lens) => void;
  onInput: (input: string) => void;
  /** The UV set that is looked at, from 0. */
  set: number;
  /** How many there are. */
  sets: number;
  onSet: (set: number) => void;
}) {
  const inputs = [
    ...new Map(
      materials.flatMap((material) => material.inputs.map((one) => [one.name, one.label] as const)),
    ).entries(),
  ];
  return (
    <div className="flex flex-wrap gap-1.5" role="group" aria-label="Lens">
      <span className="plate">Lens</span>
      {LENSES.map(([name, label]) => (
        <button
          key={name}
          aria-pressed={lens === name}
          className={`plate cursor-pointer ${lens === name ? "font-semibold" : "plate-ink"}`}
          onClick={() => onLens(name)}
        >
          {label}
        </button>
      ))}
      {OF_A_SET.includes(lens) && (
        <select
          aria-label="UV set"
          className="plate"
          value={set}
          onChange={(event) => onSet(Number(event.target.value))}
        >
          {Array.from({ length: sets }, (_, k) => (
            <option key={k} value={k}>
              UV set {k + 1}
            </option>
          ))}
        </select>
      )}
      {lens === "input" && (
        <select
          aria-label="Input shown alone"
          className="plate"
          value={input}
          onChange={(event) => onInput(event.target.value)}
        >
          {inputs.map(([name, label]) => (
            <option key={name} value={name}>
              {label}
            </option>
          ))}
        </select>
      )}
    </div>
  );
}
