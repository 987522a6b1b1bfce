import { useEffect, useState } from "react";

import { type Move, type Nearest, type NearestRow, pictures } from "../../../api/client";
import { deciding, type ValueOf } from "../../../api/decisions";
import { useDecide } from "../../../api/hooks";
import { type ByHand as Hand, useNearest, useNudged } from "../../../api/nearest";
import { Notice } from "../../../ui/Notice";
import { AngleCurves } from "./AngleCurves";
import { AtEvery } from "./AtEvery";
import { ByHand } from "./ByHand";

const SIDES = ["meant", "copied", "fitted"] as const;
const SAID = { meant: "as meant", copied: "numbers copied", fitted: "fitted" };

const same = (a: Hand, b: Hand) => JSON.stringify(a) === JSON.stringify(b);
const handOf = (found: Nearest): Hand =>
  Object.fromEntries(
    found.inputs
      .filter((one) => one.changed)
      .map((one) => [one.input, { gain: one.gain, offset: one.offset }]),
  );

/** One material: what it should look like, what copied numbers make of it, and the nearest look, under all lights. */
export function NearestLook({ move, row, onFound }: { move: Move; row: NearestRow; onFound: () => void }) {
  const [keep, setKeep] = useState<string[]>([]);
  const found = useNearest(move.id, row.material, keep, row.key);
  const known = found.data && keep.length === 0 ? `${found.data.material} ${found.data.rough}` : "";
  useEffect(() => {
    if (known) onFound();
    // Only what was found anew counts.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [known]);
  return (
    <div className="min-w-0 flex-1 overflow-y-auto p-4">
      {found.error ? (
        <Notice error={found.error} onRetry={() => void found.refetch()} />
      ) : found.data ? (
        <Found
          key={`${keep.join()} ${found.data.rough}`}
          move={move}
          row={row}
          found={found.data}
          keep={keep}
          onKeep={setKeep}
        />
      ) : (
        <p role="status" className="text-soft">
          Comparing both models under all lights, over all angles of view…
        </p>
      )}
      {found.data && <AtEvery move={move.id} material={row.material} version={row.key} />}
    </div>
  );
}

function Found({
  move,
  row,
  found,
  keep,
  onKeep,
}: {
  move: Move;
  row: NearestRow;
  found: Nearest;
  keep: string[];
  onKeep: (keep: string[]) => void;
}) {
  const [at, setAt] = useState(0);
  const searched = handOf(found);
  const [hand, setHand] = useState<Hand>(() => (keep.length > 0 ? searched : (row.inputs ?? searched)));
  const decide = useDecide(move.id);
  const touched = !same(hand, row.inputs ?? searched);
  const other = !same(hand, searched);
  const nudged = useNudged(move.id, row.material, hand, row.key);
  const light = found.lights[at]!;
  const take = (value: ValueOf<"fitted">) => decide.mutate([deciding(row.material, "fitted", value)]);
  const off = { copied: light.copied_delta_e, fitted: light.fitted_delta_e };
  return (
    <>
      <div className="flex items-start justify-between gap-4">
        <div>
          <h1>{found.name}</h1>
          <p className="max-w-[60ch]">{found.remains}</p>
        </div>
        <span className="flex shrink-0 gap-2">
          {row.taken && (
            <button className="press" disabled={decide.isPending} onClick={() => take(null)}>
              Back to copied numbers
            </button>
          )}
          <button
            className="press press-main"
            disabled={decide.isPending || Object.keys(hand).length === 0 || (row.taken && !touched)}
            onClick={() => take({ ...found.value, inputs: hand } as ValueOf<"fitted">)}
          >
            {touched ? "Take it as changed" : row.taken ? "Taken" : "Take this look"}
          </button>
        </span>
      </div>
      {decide.error && <Notice error={decide.error} />}
      <div className="mt-3 bg-booth p-3">
        <div className="mb-3 flex items-end justify-between gap-3">
          <div className="plate flex shrink-0 items-end gap-4 p-3">
            <p className="tight text-[26px] leading-none font-bold whitespace-nowrap">
              ΔE {found.copied.toFixed(1)} → {found.fitted.toFixed(1)}
            </p>
            <p className="max-w-[150px] text-[12px]">
              {found.rough
                ? "at a first look; being measured for good"
                : `± ${found.unsure.toFixed(1)}, over all lights`}
            </p>
          </div>
          <div role="group" aria-label="Light" className="flex">
            {found.lights.map((one, number) => (
              <button
                key={one.name}
                className={`plate border-l border-base-300 px-3 py-1.5 ${number === at ? "font-semibold underline" : ""}`}
                aria-pressed={number === at}
                onClick={() => setAt(number)}
              >
                {one.name}{" "}
                <span className="whitespace-nowrap">
                  {one.copied_delta_e.toFixed(1)} → {one.fitted_delta_e.toFixed(1)}
                </span>
              </button>
            ))}
          </div>
        </div>
        <div className="grid grid-cols-3 gap-3">
          {SIDES.map((side) => (
            <figure key={side} className="relative">
              <img
                src={pictures.blob(light[side])}
                alt={`${found.name}, ${SAID[side]}, in ${light.name}`}
                className="aspect-square w-full bg-booth"
              />
              <figcaption className="plate absolute bottom-0 left-0">
                {SAID[side]}
                {side !== "meant" && `, ΔE ${off[side].toFixed(1)}`}
              </figcaption>
            </figure>
          ))}
        </div>
        {found.drawn.length > 0 && (
          <p className="plate mt-3 p-3">
            {found.drawn.join(", ")}: drawn for the model’s own charts, so the sample shows it as it is meant.
            The proof measures it.
          </p>
        )}
      </div>
      <div className="mt-4 grid grid-cols-[minmax(0,1fr)_300px] gap-6">
        <ByHand
          found={found}
          hand={hand}
          keep={keep}
          delta={other ? nudged.data?.delta_e : undefined}
          error={nudged.error}
          onHand={setHand}
          onKeep={onKeep}
          onReset={other ? () => setHand(searched) : undefined}
        />
        <AngleCurves curves={found.curves} />
      </div>
    </>
  );
}
