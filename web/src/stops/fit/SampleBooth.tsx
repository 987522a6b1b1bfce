import { type Fit, type Material, pictures } from "../../api/client";
import { useSample } from "../../api/hooks";
import { Mark } from "../../ui/Mark";
import { Notice } from "../../ui/Notice";

/** The sample of one material, reference against arrival, with its measured difference and what could be to blame. */
export function SampleBooth({ move, material, fit }: { move: number; material: Material; fit: Fit }) {
  const sample = useSample(move, material.id, fit.version);
  const suspects = fit.crossings.filter(
    (crossing) => crossing.material === material.id && crossing.mark !== "exact",
  );
  return (
    <aside aria-label="Sample" className="w-[296px] shrink-0 overflow-y-auto bg-booth p-4">
      {sample.data && (
        <div className="plate mb-3 flex items-end justify-between p-3.5">
          <div>
            <p className="tight text-[34px] leading-none font-bold">ΔE {sample.data.mean.toFixed(1)}</p>
            <p className="mt-1">
              {sample.rough ? `${sample.data.verdict}, at a first look` : sample.data.verdict}
            </p>
          </div>
          <div className="text-right">
            <p>95 % below</p>
            <p className="font-mono font-semibold">{sample.data.p95.toFixed(1)}</p>
            <p className="text-[11px]">noise {sample.data.noise.toFixed(1)}</p>
          </div>
        </div>
      )}
      <div className="flex flex-col gap-3">
        {(["reference", "arrival"] as const).map((side) => (
          <figure key={side} className="relative">
            {sample.data ? (
              <img
                src={pictures.blob(sample.data[side])}
                alt={`${material.name}, ${side}`}
                className="aspect-square w-full bg-booth"
              />
            ) : (
              <span className="block aspect-square w-full animate-pulse bg-booth motion-reduce:animate-none" />
            )}
            <figcaption className="plate absolute bottom-0 left-0">{side}</figcaption>
          </figure>
        ))}
      </div>
      {sample.isPending && (
        <p role="status" className="plate mt-3">
          Delivering this material and reading it back…
        </p>
      )}
      {sample.error && <Notice error={sample.error} onRetry={sample.refetch} />}
      {sample.data && sample.data.drawn.length > 0 && (
        <p className="plate mt-3 p-3.5">
          {sample.data.drawn.join(", ")}: drawn for the model’s own charts, so the sample shows it as it is
          meant. The proof measures it.
        </p>
      )}
      <div className="plate mt-3 p-3.5 [--color-base-content:#22241f]">
        <p className="text-[13px] font-semibold">Not carried exactly</p>
        {suspects.length === 0 && <p className="mt-1">Every input arrives exactly.</p>}
        <ul>
          {suspects.map((crossing) => (
            <li key={crossing.id} className="mt-2 flex gap-2">
              <span className="mt-0.5">
                <Mark mark={crossing.mark} />
              </span>
              <span>
                <b>{crossing.label}</b>, {crossing.mark}. {crossing.reason}
              </span>
            </li>
          ))}
        </ul>
      </div>
    </aside>
  );
}
