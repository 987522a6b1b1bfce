import { useState } from "react";

import { type Decision, type Job, type OwnPicture, type OwnPictures, pictures } from "../../../api/client";
import { isRunning, useDecide } from "../../../api/hooks";
import { useMatchMaterial } from "../../../api/ownPictures";
import { Choice } from "../../../ui/Choice";
import { Notice } from "../../../ui/Notice";
import { Refusal } from "../../../ui/Refusal";

type Found = OwnPicture["numbers"][number];
const said = (values: number[]) => values.map((one) => Number(one.toFixed(3))).join(" ");

/** Numbers of a material found from the picture, in the light as it stands, each with how sure it is. */
export function MaterialNumbers({
  move,
  picture,
  inputs,
  job,
}: {
  move: number;
  picture: OwnPicture;
  inputs: OwnPictures["inputs"];
  job: Job | null;
}) {
  const match = useMatchMaterial(move);
  const decide = useDecide(move);
  const materials = picture.held?.materials ?? [];
  const [material, setMaterial] = useState("");
  const [names, setNames] = useState<string[]>(["base_color", "roughness"]);
  const chosen = material || picture.numbers.at(-1)?.material || materials[0]?.id || "";
  const found = picture.numbers.find((one) => one.material === chosen);
  const busy = job !== null && isRunning(job);
  if (!picture.held?.lies || materials.length === 0) return null;
  return (
    <section aria-label="A material" className="mt-5">
      <h2>A material like in your picture</h2>
      <p className="mt-1 text-soft">
        Once the light is right, numbers of a material are tried until it looks as it does there. Numbers
        beside images multiply them.
      </p>
      <div className="mt-2 flex flex-wrap items-end gap-3">
        <Choice
          label="Material"
          value={chosen}
          options={materials.map((one) => [one.id, one.name] as const)}
          onChange={setMaterial}
        />
        {inputs.map((one) => (
          <label key={one.name} className="flex items-center gap-1.5">
            <input
              type="checkbox"
              checked={names.includes(one.name)}
              onChange={(event) =>
                setNames(
                  event.target.checked ? [...names, one.name] : names.filter((name) => name !== one.name),
                )
              }
            />
            {one.label.toLowerCase()}
          </label>
        ))}
      </div>
      <button
        className="press mt-2"
        disabled={busy || match.isPending || names.length === 0}
        onClick={() => match.mutate({ picture: picture.id, wanted: { material: chosen, names } })}
      >
        {found ? "Find them again" : "Find its numbers"}
      </button>
      {(match.error ?? decide.error) && <Notice error={match.error ?? decide.error} />}
      <Refusal job={job} kind="match material" />
      {found && <Numbers found={found} busy={decide.isPending} onTake={(all) => decide.mutate(all)} />}
      {decide.isSuccess && (
        <p role="status" className="mt-2">
          Taken over. Undo takes it back.
        </p>
      )}
    </section>
  );
}

function Numbers({
  found,
  busy,
  onTake,
}: {
  found: Found;
  busy: boolean;
  onTake: (decisions: Decision[]) => void;
}) {
  return (
    <>
      <figure className="relative mt-3">
        <img
          src={pictures.blob(found.picture)}
          alt={`the scene with ${found.name} as found`}
          className="w-full bg-booth"
        />
        <figcaption className="plate absolute bottom-0 left-0">
          {found.name}: ΔE {found.before.toFixed(1)} becomes {found.after.toFixed(1)}
        </figcaption>
      </figure>
      <table className="mt-2 w-full" aria-label={`Numbers of ${found.name}`}>
        <thead>
          <tr className="text-left text-[12px] text-soft">
            <th className="font-normal">number</th>
            <th className="text-right font-normal">is</th>
            <th className="text-right font-normal">becomes</th>
          </tr>
        </thead>
        <tbody>
          {found.numbers.map((one) => (
            <tr key={one.name} className="border-t border-base-300 align-top">
              <th scope="row" className="py-1 text-left font-normal">
                {one.label}
                {!one.sure && (
                  <span className="block text-[12px] text-soft">not sure: the picture hardly shows it</span>
                )}
              </th>
              <td className="py-1 text-right font-mono">{said(one.before)}</td>
              <td className="py-1 text-right font-mono">
                {said(one.after)}
                <span className="text-[12px] text-soft"> ± {Number(one.unsure.toPrecision(2))}</span>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {!found.current && <p className="mt-2 text-soft">The scene has changed since.</p>}
      <button
        className="press press-main mt-2"
        disabled={busy || found.decisions.length === 0 || !found.current}
        onClick={() => onTake(found.decisions as unknown as Decision[])}
      >
        Take over what is sure
      </button>
    </>
  );
}
