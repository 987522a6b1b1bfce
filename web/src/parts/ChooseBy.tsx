import type { Inventory } from "../api/client";

const LARGEST = (part: Inventory["parts"][number]) => Math.max(...part.size_m);
const SIZES_M = [0.01, 0.1, 1];
const sized = (size_m: number) => (size_m < 1 ? `${size_m * 100} cm` : `${size_m} m`);

/** Parts chosen by what they have in common: everything, the others, a material, a size, a kind. */
export function ChooseBy({
  inventory,
  chosen,
  parts,
  onChoose,
}: {
  inventory: Inventory;
  chosen: string[];
  /** The parts that are chosen, with those of chosen groups. */
  parts: string[];
  onChoose: (ids: string[]) => void;
}) {
  const held = new Set(parts);
  const of = (wanted: (part: Inventory["parts"][number]) => boolean) =>
    onChoose(inventory.parts.filter(wanted).map((part) => part.id));
  const own = inventory.parts.filter((part) => held.has(part.id));
  const worn = new Set(own.flatMap((part) => part.materials));
  const largest = Math.max(0, ...own.map(LARGEST));
  const kinds = [...new Set(inventory.parts.map((part) => part.kind))];

  function choose(value: string) {
    const [by, what = ""] = [value.slice(0, value.indexOf(" ")), value.slice(value.indexOf(" ") + 1)];
    if (by === "all") of(() => true);
    else if (by === "others") of((part) => !held.has(part.id));
    else if (by === "alike") of((part) => part.materials.some((material) => worn.has(material)));
    else if (by === "small") of((part) => LARGEST(part) <= largest * 1.001);
    else if (by === "size") of((part) => LARGEST(part) <= Number(what));
    else if (by === "material") of((part) => part.materials.includes(what));
    else if (by === "kind") of((part) => part.kind === what);
  }

  return (
    <select
      className="field w-[104px]"
      aria-label="Choose parts by"
      value=""
      onChange={(event) => choose(event.target.value)}
    >
      <option value="">Choose…</option>
      <option value="all ">all parts</option>
      {chosen.length > 0 && (
        <>
          <option value="others ">all others</option>
          <option value="alike ">wearing the same</option>
          <option value="small ">no larger than these</option>
        </>
      )}
      <optgroup label="up to a size">
        {SIZES_M.map((size) => (
          <option key={size} value={`size ${size}`}>
            up to {sized(size)}
          </option>
        ))}
      </optgroup>
      <optgroup label="wearing">
        {inventory.materials.map((material) => (
          <option key={material.id} value={`material ${material.id}`}>
            {material.name}
          </option>
        ))}
      </optgroup>
      {kinds.length > 1 && (
        <optgroup label="of a kind">
          {kinds.map((kind) => (
            <option key={kind} value={`kind ${kind}`}>
              {kind}
            </option>
          ))}
        </optgroup>
      )}
    </select>
  );
}
