import { useState } from "react";

import type { Fit, Material } from "../../api/client";
import { useDress, useInventory } from "../../api/hooks";
import { NewMaterial } from "../../materials/NewMaterial";
import { PartTree } from "../../parts/PartTree";
import { partsOf, treeOf } from "../../parts/tree";
import { Notice, Waiting } from "../../ui/Notice";
import { SidePanel } from "../../ui/SidePanel";

/** Parts and groups to put a material on: one that is there, or a new one. */
export function WhoWears({
  move,
  fit,
  material,
  onClose,
}: {
  move: number;
  fit: Fit;
  /** The material to be put on; none for a new one. */
  material: Material | null;
  onClose: () => void;
}) {
  const inventory = useInventory(move, true);
  const dress = useDress(move);
  const [chosen, setChosen] = useState<string[]>([]);
  const title = material ? `Put ${material.name} on` : "New material";
  if (inventory.isPending || inventory.error)
    return (
      <SidePanel title={title} width="w-[420px]" onClose={onClose}>
        {inventory.error ? <Notice error={inventory.error} /> : <Waiting text="Fetching the parts…" />}
      </SidePanel>
    );
  const parts = partsOf(treeOf(inventory.data), new Set(chosen));
  const told = `on ${parts.length} part${parts.length === 1 ? "" : "s"}`;
  return (
    <SidePanel title={title} width="h-[calc(100%-52px)] w-[420px]" onClose={onClose}>
      <PartTree inventory={inventory.data} chosen={chosen} onChoose={setChosen} />
      {material ? (
        <div className="flex items-center gap-2 border-t border-base-300 px-4 py-2">
          <span className="flex-1 text-soft">Everything they wear is replaced.</span>
          <button
            className="press press-main"
            disabled={!chosen.length || dress.isPending}
            onClick={() => dress.mutate({ ids: chosen, material: material.id }, { onSuccess: onClose })}
          >
            Put it {told}
          </button>
        </div>
      ) : (
        <NewMaterial move={move} materials={fit.materials} on={chosen} told={told} onDone={onClose} />
      )}
      {dress.error && <Notice error={dress.error} />}
    </SidePanel>
  );
}
