import { useMemo } from "react";

import type { Move, NearestRow } from "../../../api/client";
import { useAfter } from "../../../api/hooks";
import { useFitAll, useNearestRows } from "../../../api/nearest";
import { Notice, Waiting } from "../../../ui/Notice";
import { StartJob } from "../../../ui/StartJob";
import { NearestLook } from "./NearestLook";

const KINDS = ["fit"];
const deltaE = (value: number) => value.toFixed(value < 10 ? 1 : 0);

function stateOf(row: NearestRow): string {
  if (row.taken) return "taken";
  if (row.stale) return "taken for what it was before";
  if (!row.figures) return "not looked for yet";
  return row.figures.found ? "a nearer look was found" : "copied numbers are the nearest";
}

function Back({ onBack }: { onBack: () => void }) {
  return (
    <button className="mb-2 text-soft hover:underline" onClick={onBack}>
      Back to all materials
    </button>
  );
}

/** Materials that lose something of their look on the way, and the nearest look that the destination can make of each. */
export function NearestPage({
  move,
  material,
  onMaterial,
  onBack,
}: {
  move: Move;
  material: string;
  onMaterial: (id: string) => void;
  onBack: () => void;
}) {
  const rows = useNearestRows(move.id);
  const all = useFitAll(move.id);
  useAfter(move.job, KINDS, rows.refetch);
  const held = useMemo(() => rows.data?.rows ?? [], [rows.data]);
  const chosen = held.find((row) => row.material === material) ?? held[0];
  if (rows.isPending) return <Waiting text="Looking at what is lost of each look…" />;
  if (rows.error) return <Notice error={rows.error} onRetry={() => void rows.refetch()} />;
  if (!chosen)
    return (
      <section aria-label="Nearest looks" className="min-w-0 flex-1 px-[18px] pt-4">
        <Back onBack={onBack} />
        <h1>Nearest looks</h1>
        <p className="mt-1 max-w-xl text-soft">
          {rows.data.destination} has every input that makes the look of these materials. There is nothing to
          fit.
        </p>
      </section>
    );
  const open = held.filter((row) => row.open).length;
  return (
    <section aria-label="Nearest looks" className="flex h-full min-h-0">
      <div className="flex w-[248px] shrink-0 flex-col border-r border-base-300">
        <div className="p-4 pb-3">
          <Back onBack={onBack} />
          <h1>Nearest looks</h1>
          <p className="mt-1 text-soft">
            {held.length} material{held.length === 1 ? " loses" : "s lose"} something of{" "}
            {held.length === 1 ? "its" : "their"} look in {rows.data.destination}.
          </p>
          <div className="mt-3">
            <StartJob
              move={move}
              kinds={KINDS}
              words={open > 1 ? `Fit ${open} and take them` : "Fit and take it"}
              disabled={open === 0}
              onStart={() => all.mutate()}
            />
          </div>
          {all.error && <Notice error={all.error} />}
        </div>
        <ul className="min-h-0 flex-1 overflow-y-auto" aria-label="Materials that lose something">
          {held.map((row) => (
            <li key={row.material}>
              <button
                className={`w-full border-t border-base-300 px-4 py-2.5 text-left hover:bg-base-100 ${row === chosen ? "bg-base-100" : ""}`}
                aria-pressed={row === chosen}
                onClick={() => onMaterial(row.material)}
              >
                <span className="flex items-baseline justify-between gap-2">
                  <b className="truncate">{row.name}</b>
                  {row.figures && (
                    <span className="shrink-0 font-mono text-[12px]">
                      {deltaE(row.figures.copied)}
                      {row.figures.found && ` → ${deltaE(row.figures.fitted)}`}
                    </span>
                  )}
                </span>
                <span className="block truncate text-[12px] text-soft">
                  without {row.missing.join(", ").toLowerCase()}
                </span>
                <span className="block text-[12px]">{stateOf(row)}</span>
              </button>
            </li>
          ))}
        </ul>
      </div>
      <NearestLook key={chosen.material} move={move} row={chosen} onFound={() => void rows.refetch()} />
    </section>
  );
}
