import { useState } from "react";

import type { Fit, ImageFile, Material } from "../../api/client";
import { useImageHere, useInventory } from "../../api/hooks";
import { Notice } from "../../ui/Notice";
import { ImageSelect } from "./ImageSelect";
import { InputValue, type Known } from "./InputValue";

/** Every input that a material does not say yet, by what it says of a surface, each with its default and a way to set it. */
export function AddInput({ move, fit, material }: { move: number; fit: Fit; material: Material }) {
  const [open, setOpen] = useState(false);
  const inventory = useInventory(move, true);
  const held = new Set(material.inputs.map((input) => input.name));
  const absent = fit.known.filter((known) => !held.has(known.name));
  const groups = [...new Set(absent.map((known) => known.group))];
  const images = inventory.data?.images.filter((image) => !image.problem) ?? [];
  return (
    <div className="mt-3">
      <button className="press" aria-expanded={open} onClick={() => setOpen(!open)}>
        Add an input
      </button>
      {open && (
        <div className="mt-2 border border-base-300 bg-base-100">
          {groups.map((group) => (
            <section
              key={group}
              aria-label={group}
              className="border-b border-base-300 px-3 py-2 last:border-b-0"
            >
              <h3>{group}</h3>
              <ul>
                {absent
                  .filter((known) => known.group === group)
                  .map((known) => (
                    <Row
                      key={known.name}
                      move={move}
                      known={known}
                      material={material}
                      images={images}
                      lacks={known.beside !== "" && !held.has(known.beside) ? known.beside : ""}
                    />
                  ))}
              </ul>
            </section>
          ))}
        </div>
      )}
    </div>
  );
}

function Row({
  move,
  known,
  material,
  images,
  lacks,
}: {
  move: number;
  known: Known;
  material: Material;
  images: ImageFile[];
  lacks: string;
}) {
  const use = useImageHere(move);
  const target = `${material.id}/${known.name}`;
  return (
    <li className="flex min-h-[34px] flex-wrap items-center gap-x-3 gap-y-1 py-0.5">
      <span className="w-[150px]">
        <span className="block leading-tight">{known.label}</span>
        <span className="block text-[11px] leading-tight text-soft">
          {known.in_destination ? "" : "the destination has none"}
          {lacks && `${known.in_destination ? "" : ", "}says more about ${lacks.replaceAll("_", " ")}`}
        </span>
      </span>
      <span className="w-[150px]">
        {known.holds === "vector" ? (
          <span className="text-soft">an image only</span>
        ) : (
          <InputValue
            move={move}
            target={target}
            known={known}
            factor={known.default}
            label={`${known.label}, not said yet`}
          />
        )}
      </span>
      <ImageSelect
        label=""
        name={`Image for ${known.label}`}
        none="an image …"
        images={images}
        value=""
        onChange={(image) => image && use.mutate({ target, image })}
      />
      {use.error && <Notice error={use.error} />}
    </li>
  );
}
