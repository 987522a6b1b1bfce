import { useSearchParams } from "react-router";

import type { Move } from "../../../api/client";
import { type Limits, useBudget, useMeasureBudget } from "../../../api/budget";
import { useAfter, useDecide } from "../../../api/hooks";
import { Notice, Waiting } from "../../../ui/Notice";
import { NumberField } from "../../../ui/NumberField";
import { StartJob } from "../../../ui/StartJob";
import { BudgetChanges } from "./BudgetChanges";
import { BudgetCurve } from "./BudgetCurve";
import { BudgetSum, KINDS } from "./BudgetSum";
import { MIB, type Resource, told } from "./told";

const FIELDS: { resource: Resource; label: string; unit: number; words: string }[] = [
  { resource: "memory", label: "Image memory, MiB", unit: MIB, words: "unpacked, with all smaller levels" },
  {
    resource: "download",
    label: "Download, MiB",
    unit: MIB,
    words: "all files",
  },
  { resource: "triangles", label: "Triangles", unit: 1, words: "over all parts" },
  {
    resource: "draws",
    label: "Draw calls",
    unit: 1,
    words: "one for each slot of each part, nothing batched",
  },
  { resource: "bake", label: "Baking, minutes", unit: 60, words: "of lightmaps, on this machine" },
];

/** The delivery that loses least within limits of memory, download, triangles, draw calls and baking: what each choice loses is measured before it is taken. */
export function BudgetPage({ move, onBack }: { move: Move; onBack: () => void }) {
  const [params, setParams] = useSearchParams();
  const keep = params.getAll("keep");
  const limits: Limits = {};
  for (const { resource } of FIELDS) {
    const given = Number(params.get(resource));
    if (params.get(resource) && Number.isFinite(given)) limits[resource] = given;
  }
  const budget = useBudget(move.id, limits, keep);
  const measure = useMeasureBudget(move.id);
  const decide = useDecide(move.id);
  useAfter(move.job, KINDS, budget.refetch);
  const change = (edit: (next: URLSearchParams) => void) => {
    const next = new URLSearchParams(params);
    edit(next);
    setParams(next, { replace: true });
  };
  if (budget.isPending) return <Waiting text="Looking at what can be made smaller…" />;
  if (budget.error) return <Notice error={budget.error} onRetry={() => void budget.refetch()} />;
  const found = budget.data.found;
  const limited = Object.keys(limits).length > 0;
  return (
    <section aria-label="Under a budget" className="flex h-full min-h-0">
      <div className="flex w-[272px] shrink-0 flex-col overflow-y-auto border-r border-base-300 p-4">
        <p>
          <button className="mb-2 text-soft hover:underline" onClick={onBack}>
            Back to all materials
          </button>
        </p>
        <h1>Under a budget</h1>
        <p className="mt-1 text-soft">
          How small the delivery to {budget.data.destination} can be, and what that loses.
        </p>
        {found &&
          FIELDS.filter(
            ({ resource }) => found.now[resource] > found.least[resource] || resource in limits,
          ).map(({ resource, label, unit, words }) => (
            <div key={resource} className="mt-4">
              <p className="flex items-center justify-between gap-2">
                <span className="font-semibold">{label}</span>
                <NumberField
                  label={`At most, ${label}`}
                  value={limits[resource] === undefined ? null : limits[resource] / unit}
                  range={{ minimum: 0, words: "none, or more than nothing" }}
                  empty="any"
                  className="w-24"
                  onSet={(value) =>
                    change((next) =>
                      value === null
                        ? next.delete(resource)
                        : next.set(resource, String(Math.round(value * unit))),
                    )
                  }
                />
              </p>
              <p className="text-[12px] text-soft">
                {told(resource, found.now[resource])} without limits, {told(resource, found.least[resource])}{" "}
                at least; {words}
              </p>
            </div>
          ))}
        <div className="mt-4">
          {found ? (
            <BudgetSum
              move={move}
              found={found}
              limited={limited}
              busy={decide.isPending}
              onTake={() => decide.mutate(found.decisions)}
              onTry={() => measure.mutate({ ...limits, keep, together: true })}
            />
          ) : (
            <>
              <p className="mb-3">
                First every choice is delivered and measured: images at ever smaller sizes and as files of
                every kind that is read, meshes of ever fewer triangles, one material drawn for each part
                where parts have several, lightmaps in ever less room where they are asked for. That takes
                minutes, once.
              </p>
              <StartJob
                move={move}
                kinds={KINDS}
                words="Measure what can be made smaller"
                main
                onStart={() => measure.mutate({ keep: [], together: false })}
              />
            </>
          )}
          {(measure.error ?? decide.error) && <Notice error={measure.error ?? decide.error} />}
        </div>
      </div>
      {found && (
        <div className="min-w-0 flex-1 overflow-y-auto px-[18px] pt-4 pb-6">
          {!found.fits && (
            <p role="alert" className="mb-3 border-l-[3px] border-primary pl-2">
              These limits cannot be kept: what is shown comes nearest. What is kept whole and the
              surroundings do not get smaller.
            </p>
          )}
          <BudgetCurve found={found} />
          <BudgetChanges
            found={found}
            onKeep={(id) => change((next) => next.append("keep", id))}
            onFree={(id) =>
              change((next) => {
                next.delete("keep");
                for (const one of keep) if (one !== id) next.append("keep", one);
              })
            }
          />
        </div>
      )}
    </section>
  );
}
