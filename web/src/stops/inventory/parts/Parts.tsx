import { memo, useDeferredValue, useMemo } from "react";

import type { Inventory } from "../../../api/client";
import { PartTools } from "./PartTools";
import { PartTree } from "../../../parts/PartTree";
import { useSteady } from "../../../ui/useSteady";

const Tools = memo(PartTools);

/** Parts and groups, and what can be done to the chosen ones. */
export function Parts({
  move,
  inventory,
  chosen,
  onChoose,
}: {
  move: number;
  inventory: Inventory;
  chosen: string[];
  onChoose: (ids: string[]) => void;
}) {
  const known = useMemo(
    () => new Set([...inventory.parts, ...inventory.groups].map((one) => one.id)),
    [inventory],
  );
  const some = useMemo(() => chosen.filter((id) => known.has(id)), [chosen, known]);
  // The list follows the hand at once; what can be done with the chosen ones comes after it.
  const choose = useSteady(onChoose);
  const settled = useDeferredValue(some);
  return (
    <>
      <PartTree inventory={inventory} chosen={some} onChoose={onChoose} />
      {settled.length > 0 && <Tools move={move} inventory={inventory} chosen={settled} onChoose={choose} />}
    </>
  );
}
