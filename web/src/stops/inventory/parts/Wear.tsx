import { useState } from "react";

import type { Inventory } from "../../../api/client";
import { useDecisions, useDress, useLeaveSlotOut } from "../../../api/hooks";
import { NewMaterial } from "../../../materials/NewMaterial";
import { Choose } from "../../../ui/Choose";
import { Notice } from "../../../ui/Notice";

/** Another material on the chosen parts and groups, in place of everything they wear or of one of its slots, or a new one. */
export function Wear({
  move,
  inventory,
  on,
  parts,
}: {
  move: number;
  inventory: Inventory;
  /** Chosen parts and groups, and the parts that these are. */
  on: string[];
  parts: string[];
}) {
  const dress = useDress(move);
  const leave = useLeaveSlotOut(move);
  const decisions = useDecisions(move);
  const said = new Map(
    decisions.data
      ?.filter((one) => one.field === "without_slots" && parts.includes(one.target))
      .map((one) => [one.target, one.value as string[]]),
  );
  const without = new Set([...said.values()].flat());
  const [making, setMaking] = useState(false);
  const [slot, setSlot] = useState("");
  const worn = [
    ...new Set(inventory.parts.filter((part) => parts.includes(part.id)).flatMap((part) => part.materials)),
  ];
  const name = (id: string) => inventory.materials.find((material) => material.id === id)?.name ?? id;
  return (
    <div className="border-t border-base-300">
      <div className="flex flex-wrap items-center gap-2 px-4 py-2">
        <span className="min-w-0 flex-1 truncate text-soft" title={worn.map(name).join(", ")}>
          wear {worn.length ? worn.map(name).join(", ") : "no material"}
        </span>
        {worn.length > 1 && (
          <select
            className="field max-w-[130px]"
            aria-label="In place of"
            value={slot}
            onChange={(event) => setSlot(event.target.value)}
          >
            <option value="">all of it</option>
            {worn.map((id) => (
              <option key={id} value={id}>
                {name(id)} alone
              </option>
            ))}
          </select>
        )}
        {slot && (
          <button
            className="press"
            disabled={leave.isPending}
            onClick={() => leave.mutate({ ids: on, material: slot }, { onSuccess: () => setSlot("") })}
          >
            Leave it out
          </button>
        )}
        <Choose
          label="Wear"
          options={inventory.materials.map((material) => [material.id, material.name])}
          onPick={(material) => dress.mutate({ ids: on, material, instead_of: slot || null })}
        />
        <button className="press" aria-expanded={making} onClick={() => setMaking(!making)}>
          New material
        </button>
      </div>
      {[...without].map((material) => (
        <p key={material} className="px-4 pb-2 text-soft">
          without {name(material)}{" "}
          <button className="underline" onClick={() => leave.mutate({ ids: on, material, back: true })}>
            take it along again
          </button>
        </p>
      ))}
      {(dress.error ?? leave.error) && <Notice error={dress.error ?? leave.error} />}
      {making && (
        <NewMaterial
          move={move}
          materials={inventory.materials}
          on={on}
          told={`on ${parts.length} part${parts.length === 1 ? "" : "s"}`}
          onDone={() => setMaking(false)}
        />
      )}
    </div>
  );
}
