import type { Material } from "../../api/client";
import { useDecide, useDecisions } from "../../api/hooks";

/** Inputs of a material that the artist left out, each with a way back. */
export function LeftOut({ move, material }: { move: number; material: Material }) {
  const decisions = useDecisions(move);
  const decide = useDecide(move);
  const last = new Map<string, unknown>();
  for (const { target, field, value } of decisions.data ?? [])
    if (field === "include" && target.startsWith(`${material.id}/`)) last.set(target, value);
  const targets = [...last.entries()].filter(([, value]) => value === false).map(([target]) => target);
  if (targets.length === 0) return null;
  return (
    <p className="mt-3 flex flex-wrap items-center gap-2">
      <span className="text-soft">Left out:</span>
      {targets.map((target) => (
        <button
          key={target}
          className="press"
          disabled={decide.isPending}
          onClick={() => decide.mutate([{ target, field: "include", value: true }])}
        >
          Take {target.slice(material.id.length + 1).replaceAll("_", " ")} along
        </button>
      ))}
    </p>
  );
}
