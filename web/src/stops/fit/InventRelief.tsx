import { useState } from "react";

import type { Material } from "../../api/client";
import { deciding, type ValueOf } from "../../api/decisions";
import { useDecide, useDecisions } from "../../api/hooks";
import { Notice } from "../../ui/Notice";

const DEPTHS: [number, string][] = [
  [0.002, "faint"],
  [0.006, "light"],
  [0.015, "deep"],
];

/** Relief made up from the colour image where a material has none; a way back where it was. */
export function InventRelief({ move, material }: { move: number; material: Material }) {
  const decide = useDecide(move);
  const decisions = useDecisions(move);
  const [lighten, setLighten] = useState(true);
  const made =
    (decisions.data ?? []).filter((one) => one.target === material.id && one.field === "invent_relief").at(-1)
      ?.value != null;
  const has = (name: string) => material.inputs.some((input) => input.name === name);
  const pictured = material.inputs.some((input) => input.name === "base_color" && input.image !== null);
  const put = (value: ValueOf<"invent_relief">) =>
    decide.mutate([deciding(material.id, "invent_relief", value)]);
  if (!made && (!pictured || has("normal") || has("height"))) return null;
  return (
    <div className="mt-3 flex flex-wrap items-center gap-2">
      {made ? (
        <>
          <span className="text-soft">Its relief is invented from the colour.</span>
          <button className="press" disabled={decide.isPending} onClick={() => put(null)}>
            Without it
          </button>
        </>
      ) : (
        <>
          <span className="text-soft">No relief. Invent it from the colour:</span>
          {DEPTHS.map(([depth, words]) => (
            <button
              key={depth}
              className="press"
              disabled={decide.isPending}
              onClick={() => put({ depth, lighten })}
            >
              {words}
            </button>
          ))}
          <label className="flex items-center gap-1.5">
            <input type="checkbox" checked={lighten} onChange={(event) => setLighten(event.target.checked)} />
            lighten the colour for it
          </label>
        </>
      )}
      {decide.error && <Notice error={decide.error} />}
    </div>
  );
}
