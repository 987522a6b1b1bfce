import type { LightData } from "../../api/client";

/** The numbers of an effect, as its sheet gives them. */
function amountOf(effect: LightData["after_effects"][number]): string {
  const { acts, amount, reach } = effect;
  if (acts === "exposure") return amount ? `${amount > 0 ? "+" : ""}${amount} EV` : "its own meter";
  if (acts === "occlusion") return `${Math.round(100 * amount)} % of what is hidden within ${reach} m`;
  if (acts === "glow")
    return `${Math.round(100 * amount)} % of what is above white, over ${reach} % of the height`;
  if (acts === "contrast") return `power ${1 + amount} about middle grey`;
  return `${Math.round(1000 * amount) / 10} % at the corners`;
}

/** What the destination does to a picture by itself, and occlusion that would count twice. */
export function AfterEffects({
  data,
  onLeaveBehind,
  onSimulate,
}: {
  data: LightData;
  onLeaveBehind: (ids: string[]) => void;
  onSimulate: (names: string[]) => void;
}) {
  const twice = data.occluded_twice;
  return (
    <section aria-label="After-effects">
      <h1>What is done afterwards</h1>
      <p className="mt-1 text-soft">
        By the destination, to the finished picture. Proofs are judged without it, unless it is simulated.
      </p>
      {twice.length > 0 && (
        <div className="mt-3 border-l-2 border-primary pl-3">
          <p>
            <b>Occlusion counts twice.</b> {twice.length === 1 ? twice[0]!.name : `${twice.length} materials`}{" "}
            bring{twice.length === 1 ? "s" : ""} an occlusion image, and the light that is written down has it
            already: creases arrive too dark.
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
              {effect.acts && (
                <dd className="mt-1">
                  <label className="flex items-center gap-2">
                    <input
                      type="checkbox"
                      checked={effect.simulated}
                      onChange={(event) =>
                        onSimulate(
                          data.after_effects
                            .filter((one) =>
                              one.name === effect.name ? event.target.checked : one.simulated,
                            )
                            .map((one) => one.name),
                        )
                      }
                    />
                    simulate it on the arrival{" "}
                    <span className="font-mono text-[12px] text-soft">{amountOf(effect)}</span>
                  </label>
                </dd>
              )}
            </div>
          ))}
        </dl>
      )}
    </section>
  );
}
