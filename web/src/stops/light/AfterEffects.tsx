import type { LightData } from "../../api/client";

/** What the destination does to a picture by itself, and occlusion that would count twice. */
export function AfterEffects({ data, onLeaveBehind }: { data: LightData; onLeaveBehind: (ids: string[]) => void }) {
  const twice = data.occluded_twice;
  return (
    <section aria-label="After-effects">
      <h1>What is done afterwards</h1>
      <p className="mt-1 text-soft">By the destination, to the finished picture. Proofs are judged without it.</p>
      {twice.length > 0 && (
        <div className="mt-3 border-l-2 border-primary pl-3">
          <p>
            <b>Occlusion counts twice.</b> {twice.length === 1 ? twice[0]!.name : `${twice.length} materials`} bring{twice.length === 1 ? "s" : ""} an occlusion image, and the light that is written down has it already: creases arrive too dark.
          </p>
          <button className="press mt-2" onClick={() => onLeaveBehind(twice.map((one) => one.id))}>
            Leave the occlusion image{twice.length > 1 ? "s" : ""} behind
          </button>
        </div>
      )}
      {data.after_effects.length === 0 ? (
        <p className="mt-3 text-soft">Its sheet lists none.</p>
      ) : (
        <dl className="mt-3">
          {data.after_effects.map((effect) => (
            <div key={effect.name} className="border-b border-base-300 py-1.5">
              <dt className="font-semibold first-letter:uppercase">{effect.name}</dt>
              <dd>{effect.does}</dd>
              {effect.off && <dd className="text-soft">{effect.off}</dd>}
            </div>
          ))}
        </dl>
      )}
    </section>
  );
}
