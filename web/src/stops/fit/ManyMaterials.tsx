import { useState } from "react";

import type { Fit, Material } from "../../api/client";
import { deciding, type Field, type ValueOf } from "../../api/decisions";
import { useCopyInputs, useDecide, useInventory } from "../../api/hooks";
import { Choice } from "../../ui/Choice";
import { Notice } from "../../ui/Notice";
import { Differ } from "./Differ";
import { ImageSelect } from "./ImageSelect";
import { FileChoice, SizeChoice } from "./FileChoices";
import { NamedOptions } from "../../ui/NamedOptions";

interface InputChoice {
  name: string;
  label: string;
  channels: number;
}

/** Several materials at once: the same input of all of them, or the settings of one given to the others. */
export function ManyMaterials({ move, fit, chosen }: { move: number; fit: Fit; chosen: Material[] }) {
  const decide = useDecide(move);
  const copy = useCopyInputs(move);
  const inventory = useInventory(move, true);
  const known = new Map<string, InputChoice>();
  for (const material of fit.materials)
    for (const input of material.inputs)
      known.set(input.name, { name: input.name, label: input.label, channels: input.factor.length });
  const choices = [...known.values()];
  const [name, setName] = useState(choices[0]?.name ?? "base_color");
  const [text, setText] = useState("");
  const [image, setImage] = useState("");
  const [source, setSource] = useState(chosen.at(-1)?.id ?? "");
  const [only, setOnly] = useState<string[]>([]);
  const input = known.get(name);
  const numbers = text
    .trim()
    .split(/[\s,;]+/)
    .map(Number);
  const good =
    input !== undefined &&
    text.trim() !== "" &&
    numbers.length === input.channels &&
    numbers.every(Number.isFinite);
  const from = chosen.find((material) => material.id === source) ?? chosen[0]!;
  const busy = decide.isPending || copy.isPending;
  const all = <F extends Field>(field: F, value: ValueOf<F>, on: (material: Material) => string) =>
    decide.mutate(chosen.map((material) => deciding(on(material), field, value)));
  return (
    <section aria-label="Several materials" className="min-w-0 flex-1 overflow-y-auto px-[18px] pt-4 pb-6">
      <h1>{chosen.length} materials</h1>
      <p className="text-soft">{chosen.map((material) => material.name).join(", ")}</p>
      <h2 className="mt-5 border-b border-base-content pb-1">The same input of all</h2>
      <div className="mt-3">
        <Choice
          label="Input"
          value={name}
          options={choices.map((one) => [one.name, one.label] as const)}
          onChange={setName}
          wide="w-56"
        />
      </div>
      <table className="mt-2 w-full border-collapse">
        <tbody>
          {chosen.map((material) => {
            const given = material.inputs.find((one) => one.name === name);
            return (
              <tr key={material.id} className="border-b border-base-300">
                <td className="py-1 pr-3">{material.name}</td>
                <td className="py-1 font-mono text-[12px] text-soft">
                  {given
                    ? (given.file ??
                      given.factor.map((v) => (v === null ? "∞" : Number(v.toFixed(4)))).join(" "))
                    : "not said"}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <div className="mt-3 flex flex-wrap items-end gap-4">
        <form
          className="flex items-end gap-1"
          onSubmit={(event) => {
            event.preventDefault();
            if (good) all("factor", numbers, (material) => `${material.id}/${name}`);
          }}
        >
          <label>
            <span className="block text-[12px] text-soft">
              {input?.channels === 3 ? "Three numbers" : "One number"}
            </span>
            <input
              className="field w-40 font-mono"
              value={text}
              placeholder={input?.channels === 3 ? "0.5 0.5 0.5" : "0.5"}
              onChange={(event) => setText(event.target.value)}
            />
          </label>
          <button className="press" disabled={!good || busy}>
            Set for all
          </button>
        </form>
        <div className="flex items-end gap-1">
          <ImageSelect
            label="One image"
            none="choose one"
            images={inventory.data?.images.filter((one) => !one.problem) ?? []}
            value={image}
            onChange={setImage}
          />
          <button
            className="press"
            disabled={!image || busy}
            onClick={() => all("image", { image }, (material) => `${material.id}/${name}`)}
          >
            Read it in all
          </button>
        </div>
        <button
          className="press"
          disabled={busy}
          onClick={() => all("include", false, (material) => `${material.id}/${name}`)}
        >
          Leave it out of all
        </button>
      </div>
      <h2 className="mt-7 border-b border-base-content pb-1">Settings of one for the others</h2>
      <label className="mt-3 block">
        <span className="block text-[12px] text-soft">As in</span>
        <select className="field w-56" value={from.id} onChange={(event) => setSource(event.target.value)}>
          <NamedOptions of={chosen} />
        </select>
      </label>
      <fieldset className="mt-2 flex flex-wrap gap-x-4">
        <legend className="text-[12px] text-soft">
          Which inputs; none ticked is everything, with see-through and sides
        </legend>
        {from.inputs.map((one) => (
          <label key={one.name} className="flex items-center gap-1.5 py-0.5">
            <input
              type="checkbox"
              checked={only.includes(one.name)}
              onChange={(event) =>
                setOnly(
                  event.target.checked ? [...only, one.name] : only.filter((other) => other !== one.name),
                )
              }
            />
            {one.label}
          </label>
        ))}
      </fieldset>
      <button
        className="press press-main mt-2"
        disabled={busy}
        onClick={() =>
          copy.mutate({
            source: from.id,
            targets: chosen.map((material) => material.id).filter((id) => id !== from.id),
            inputs: only.filter((one) => from.inputs.some((held) => held.name === one)),
          })
        }
      >
        Give {only.length === 0 ? "everything" : only.length === 1 ? "one input" : `${only.length} inputs`} of{" "}
        {from.name} to the other{chosen.length > 2 ? ` ${chosen.length - 1}` : ""}
      </button>
      <Differ move={move} materials={fit.materials} chosen={chosen} />
      <h2 className="mt-7 border-b border-base-content pb-1">Their image files</h2>
      <SizeChoice
        fit={fit}
        material={from.id}
        busy={busy}
        onChange={(side) => all("largest_side", side, (material) => material.id)}
      />{" "}
      <FileChoice
        fit={fit}
        material={from.id}
        busy={busy}
        onChange={(file) => all("file_kind", file, (material) => material.id)}
      />
      {decide.error && <Notice error={decide.error} />}
      {copy.error && <Notice error={copy.error} />}
    </section>
  );
}
