import type { Fit, Material } from "../../api/client";
import { type Decision, deciding } from "../../api/decisions";
import { useDecide } from "../../api/hooks";
import { Notice } from "../../ui/Notice";
import { OpacityFrom } from "./OpacityFrom";

/** How a material ends: what lets light through, which sides are seen, and what is worn behind. */
export function Sides({ move, fit, material }: { move: number; fit: Fit; material: Material }) {
  const decide = useDecide(move);
  const put = (...changes: Decision[]) => decide.mutate(changes);
  const sides = material.back ?? (material.double_sided ? "both" : "front");
  return (
    <div className="mt-1.5 flex flex-wrap items-center gap-x-4 gap-y-1">
      <OpacityFrom key={material.id} move={move} material={material} />
      <label className="flex items-center gap-1.5 text-soft">
        Seen from
        <select
          className="field max-w-[220px] text-base-content"
          value={sides}
          disabled={decide.isPending}
          onChange={(event) => {
            const value = event.target.value;
            const plain = value === "front" || value === "both";
            put(
              ...(plain ? [deciding(material.id, "double_sided", value === "both")] : []),
              deciding(material.id, "back", plain ? null : value),
            );
          }}
        >
          <option value="front">the front</option>
          <option value="both">both sides</option>
          {fit.materials
            .filter((other) => other.id !== material.id)
            .map((other) => (
              <option key={other.id} value={other.id}>
                both, {other.name} behind
              </option>
            ))}
        </select>
      </label>
      {decide.error && <Notice error={decide.error} />}
    </div>
  );
}
