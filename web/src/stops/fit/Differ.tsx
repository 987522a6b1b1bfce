import { useState } from "react";

import type { Material } from "../../api/client";
import { useDifference, useVary } from "../../api/vary";
import { Notice } from "../../ui/Notice";
import { Slider } from "../../ui/Slider";

/** How one material differs from another, worn from new, put on the others that are chosen, wholly or in part. */
export function Differ({
  move,
  materials,
  chosen,
}: {
  move: number;
  materials: Material[];
  chosen: Material[];
}) {
  const [second, setSecond] = useState("");
  const [first, setFirst] = useState("");
  const [amount, setAmount] = useState(1);
  const found = useDifference(move, first, second);
  const vary = useVary(move);
  const targets = chosen.map((one) => one.id).filter((id) => id !== first && id !== second);
  const pick = (label: string, words: string, value: string, set: (id: string) => void, itself = "") => (
    <label className="block">
      <span className="block text-[12px] text-soft">{words}</span>
      <select
        className="field w-56"
        aria-label={label}
        value={value}
        onChange={(event) => set(event.target.value)}
      >
        <option value="">choose one</option>
        {materials.map((one) => (
          <option key={one.id} value={one.id}>
            {one.name}
            {one.id === itself && ", as received"}
          </option>
        ))}
      </select>
    </label>
  );
  return (
    <section aria-label="A difference, for others">
      <h2 className="mt-7 border-b border-base-content pb-1">A difference, for others</h2>
      <p className="mt-2 text-soft">
        Make a variant once, worn lacquer of lacquer, and others wear as it does: what fell is multiplied,
        what rose goes as far of its own way.
      </p>
      <div className="mt-2 flex flex-wrap gap-4">
        {pick("The variant", "As this one", second, setSecond)}
        {pick("What it is a variant of", "differs from this one", first, setFirst, second)}
      </div>
      {found.data && (
        <>
          <ul className="mt-2" aria-label="The difference">
            {found.data.changes.map((words) => (
              <li key={words}>{words}</li>
            ))}
            {found.data.left.map((words) => (
              <li key={words} className="text-soft">
                {words}
              </li>
            ))}
            {found.data.changes.length === 0 && found.data.left.length === 0 && (
              <li className="text-soft">They are alike.</li>
            )}
          </ul>
          <div className="mt-2 flex flex-wrap items-center gap-4">
            <span className="flex w-56 items-center gap-3">
              <Slider
                label="How much of it"
                value={amount}
                least={0.05}
                most={1}
                step={0.05}
                onChange={setAmount}
                words={(value) => `${Math.round(value * 100)} %`}
              />
              <span className="w-12 shrink-0 font-mono text-[12px]">{Math.round(amount * 100)} %</span>
            </span>
            <button
              className="press press-main"
              disabled={targets.length === 0 || found.data.changes.length === 0 || vary.isPending}
              onClick={() => vary.mutate({ first, second, targets, amount })}
            >
              Put it on{" "}
              {targets.length === 1
                ? chosen.find((one) => one.id === targets[0])?.name
                : `${targets.length} materials`}
            </button>
          </div>
        </>
      )}
      {targets.length === 0 && first !== "" && (
        <p className="mt-2 text-soft">
          Choose other materials on the left, with Ctrl or Shift, to put it on.
        </p>
      )}
      {vary.data && vary.data.left.length > 0 && (
        <ul role="status" className="mt-2 text-soft">
          {vary.data.left.map((words) => (
            <li key={words}>{words}</li>
          ))}
        </ul>
      )}
      {(found.error ?? vary.error) && <Notice error={found.error ?? vary.error} />}
    </section>
  );
}
