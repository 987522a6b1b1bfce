import type { Inventory } from "../../../api/client";
import { PartTools } from "./PartTools";
import { PartTree } from "../../../parts/PartTree";

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
  const known = new Set([...inventory.parts, ...inventory.groups].map((one) => one.id));
  const some = chosen.filter((id) => known.has(id));
  return (
    <>
      <PartTree inventory={inventory} chosen={some} onChoose={onChoose} />
      {some.length > 0 && <PartTools move={move} inventory={inventory} chosen={some} onChoose={onChoose} />}
    </>
  );
}
