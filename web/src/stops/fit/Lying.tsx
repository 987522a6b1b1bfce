import { useState } from "react";

import type { Families as FamiliesData } from "../../api/client";
import { pictures } from "../../api/client";
import { deciding } from "../../api/decisions";
import { useDecide, useImageHere, useSiblings } from "../../api/hooks";
import { Choice } from "../../ui/Choice";
import { Notice } from "../../ui/Notice";
import { SetForSlot } from "./Families";
import { DRAGGED } from "./useDropImage";

type Aside = FamiliesData["unsure"][number];

/** What lies unread beside the proposals: slots that a bare model wants, sets that fit no slot, and single images. */
export function Lying({ move, families }: { move: number; families: FamiliesData }) {
  return (
    <>
      {families.bare.length > 0 && <Bare move={move} parts={families.bare} />}
      {families.unmatched.map((one) => (
        <Unmatched key={one.set} move={move} one={one} materials={families.materials} />
      ))}
      {families.unsure.length > 0 && (
        <section className="mt-6 border-t border-base-300 pt-3" aria-label="Not sure">
          <h2>Not sure</h2>
          <p className="text-soft">Say what each is for, or drag it onto a row of a material.</p>
          <ul className="mt-2">
            {families.unsure.map((one) => (
              <One key={one.image} move={move} one={one} families={families} />
            ))}
          </ul>
        </section>
      )}
    </>
  );
}

/** Parts that wear nothing cannot be given an image: one press gives each a slot of its own. */
function Bare({ move, parts }: { move: number; parts: string[] }) {
  const decide = useDecide(move);
  const count = parts.length === 1 ? "One part wears" : `${parts.length} parts wear`;
  return (
    <section className="mt-3 flex items-start justify-between gap-4 border-t border-base-300 pt-3">
      <div>
        <h2>{count} no material</h2>
        <p className="text-soft">Images can be put on slots only.</p>
        {decide.error && <Notice error={decide.error} />}
      </div>
      <button
        className="press shrink-0"
        disabled={decide.isPending}
        onClick={() => decide.mutate(parts.map((part) => deciding(part, "slots_from", "part")))}
      >
        {parts.length === 1 ? "Make a slot" : "A slot for each"}
      </button>
    </section>
  );
}

/** A set that fits no slot by its name: choosing a material shows what it would fill there. */
function Unmatched({
  move,
  one,
  materials,
}: {
  move: number;
  one: FamiliesData["unmatched"][number];
  materials: FamiliesData["materials"];
}) {
  const [material, setMaterial] = useState("");
  const proposal = useSiblings(move, material, material === "" ? null : (one.images[0]?.image ?? null));
  const made = proposal.data?.[0];
  return (
    <section className="mt-3 border-t border-base-300 pt-3" aria-label={`The set ${one.set}`}>
      <div className="flex items-end justify-between gap-4">
        <div className="min-w-0">
          <h2 className="truncate">{one.set}</h2>
          <p className="text-soft">A set that is named like no slot.</p>
        </div>
        {materials.length > 0 && (
          <Choice
            label={`${one.set} is for`}
            value={material}
            options={[["", "choose a material"], ...materials.map((row) => [row.id, row.name] as const)]}
            onChange={setMaterial}
            wide="w-56"
          />
        )}
      </div>
      {made ? (
        <SetForSlot move={move} proposal={made} />
      ) : (
        <ul className="mt-2">
          {one.images.map((image) => (
            <li key={image.image} className="flex items-center gap-2.5 border-t border-base-300 py-1.5">
              <Small move={move} image={image.image} />
              <span className="min-w-0">
                <span className="block truncate font-mono text-[12px]">{image.file}</span>
                <span className="text-soft">{image.reason}</span>
              </span>
            </li>
          ))}
        </ul>
      )}
      {material !== "" && proposal.data?.length === 0 && (
        <p className="text-soft">It would fill nothing there: its inputs read images already.</p>
      )}
    </section>
  );
}

/** A single image: for which material and input it is, and one press to use it. */
function One({ move, one, families }: { move: number; one: Aside; families: FamiliesData }) {
  const use = useImageHere(move);
  const [material, setMaterial] = useState(families.materials[0]?.id ?? "");
  const [input, setInput] = useState("base_color");
  return (
    <li
      draggable
      onDragStart={(event) => event.dataTransfer.setData(DRAGGED, one.image)}
      className="flex items-end gap-2.5 border-b border-base-300 py-1.5"
    >
      <Small move={move} image={one.image} />
      <span className="min-w-0 flex-1 self-center">
        <span className="block truncate font-mono text-[12px]">{one.file}</span>
        <span className="text-soft">{one.reason}</span>
        {use.error && <Notice error={use.error} />}
      </span>
      {families.materials.length > 0 && (
        <>
          <Choice
            label="For"
            value={material}
            options={families.materials.map((row) => [row.id, row.name] as const)}
            onChange={setMaterial}
            wide="w-40"
          />
          <Choice
            label="as"
            value={input}
            options={families.inputs.map((row) => [row.input, row.label] as const)}
            onChange={setInput}
            wide="w-32"
          />
          <button
            className="press shrink-0"
            aria-label={`Use ${one.file}`}
            disabled={use.isPending}
            onClick={() => use.mutate({ target: `${material}/${input}`, image: one.image })}
          >
            Use
          </button>
        </>
      )}
    </li>
  );
}

function Small({ move, image }: { move: number; image: string }) {
  return (
    <img
      src={pictures.image(move, image, 84)}
      alt=""
      loading="lazy"
      className="h-[42px] w-[42px] shrink-0 border border-base-300 bg-booth object-cover"
    />
  );
}
