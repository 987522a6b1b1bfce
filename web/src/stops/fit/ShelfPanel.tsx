import type { Material } from "../../api/client";
import { pictures } from "../../api/client";
import { useFromShelf, useShelf } from "../../api/hooks";
import { Notice, Waiting } from "../../ui/Notice";
import { OwnShelf } from "./OwnShelf";

/** The library of materials: for the material shown, or for every slot that is named like one of them. */
export function ShelfPanel({
  move,
  material,
  onDone,
}: {
  move: number;
  material: Material;
  onDone: () => void;
}) {
  const shelf = useShelf(move, true);
  const put = useFromShelf(move);
  if (shelf.isPending) return <Waiting text="Fetching the shelf…" />;
  if (shelf.error) return <Notice error={shelf.error} />;
  const { names, matches } = shelf.data;
  const own = matches.find((match) => match.slot === material.id)?.name;
  const sorted = own ? [own, ...names.filter((name) => name !== own)] : names;
  return (
    <section aria-label="Shelf" className="border-y border-base-300 bg-base-100 px-[18px] py-3">
      <div className="flex items-center justify-between gap-3">
        <p className="text-soft">
          Put one on {material.name}; its inputs are replaced, its slot and name stay.
        </p>
        {matches.length > 1 && (
          <button
            className="press"
            disabled={put.isPending}
            title={matches.map((match) => `${match.slot_name}: ${match.name}`).join("\n")}
            onClick={() =>
              put.mutate(
                matches.map(({ slot, name }) => ({ slot, name })),
                { onSuccess: onDone },
              )
            }
          >
            By name on {matches.length} slots
          </button>
        )}
      </div>
      {put.error && <Notice error={put.error} />}
      <OwnShelf move={move} material={material} onDone={onDone} />
      <h3 className="mt-3 text-soft">Comes with Trasloco</h3>
      <ul className="mt-1 flex gap-2 overflow-x-auto pb-1">
        {sorted.map((name) => (
          <li key={name} className="w-[84px] shrink-0">
            <button
              className="block w-full text-left hover:underline disabled:opacity-50"
              disabled={put.isPending}
              onClick={() => put.mutate([{ slot: material.id, name }], { onSuccess: onDone })}
            >
              <img src={pictures.shelf(name)} alt="" loading="lazy" className="h-[76px] w-[76px] bg-booth" />
              <span className="tight block text-[12px] leading-tight">
                {name}
                {name === own && <span className="text-soft"> · named alike</span>}
              </span>
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
