import type { GaugeFound } from "../../../api/client";

/** What is told as numbers: strengths against what glows, roughness, how the surroundings lie, exposures. */
export function Numbers({ found }: { found: GaugeFound }) {
  const lies = found.surroundings;
  return (
    <div>
      <h2>Numbers</h2>
      <table className="mt-1 w-full">
        <tbody>
          {found.strengths.map((one) => (
            <tr key={one.label} className="border-b border-base-300">
              <th scope="row" className="py-1 text-left font-normal">
                {one.label}
                {one.words && <span className="block text-[12px] text-soft">as though {one.words}</span>}
              </th>
              <td className="text-right font-mono">
                {one.there ? `${one.value.toFixed(3)} ×` : "did not come in"}
              </td>
              <td className="w-20 text-right font-mono text-soft">
                {one.there && `± ${one.unsure.toFixed(3)}`}
              </td>
            </tr>
          ))}
          {found.roughness && (
            <tr className="border-b border-base-300">
              <th scope="row" className="py-1 text-left font-normal">
                Roughness, to the power of
              </th>
              <td className="text-right font-mono">{found.roughness.value.toFixed(2)}</td>
              <td className="text-right font-mono text-soft">± {found.roughness.unsure.toFixed(2)}</td>
            </tr>
          )}
          {lies && (
            <tr className="border-b border-base-300">
              <th scope="row" className="py-1 text-left font-normal">
                Surroundings are turned by
              </th>
              <td className="text-right font-mono">
                {lies.sure ? `${lies.turn_deg.toFixed(1)}°${lies.mirrored ? ", mirrored" : ""}` : "not sure"}
              </td>
              <td className="text-right font-mono text-soft">
                {lies.sure && `± ${lies.unsure_deg.toFixed(2)}°`}
              </td>
            </tr>
          )}
          {lies?.sure && (
            <tr className="border-b border-base-300">
              <th scope="row" className="py-1 text-left font-normal">
                Up, against the surroundings
              </th>
              <td className="text-right font-mono">{lies.up}</td>
              <td className="text-right font-mono text-soft">{lies.confidence.toFixed(2)}</td>
            </tr>
          )}
          {found.lengths?.times != null && (
            <tr className="border-b border-base-300">
              <th scope="row" className="py-1 text-left font-normal">
                Lengths, by the rod
              </th>
              <td className="text-right font-mono">
                {found.lengths.times === 1 ? "right" : `${Number(found.lengths.times.toPrecision(3))} ×`}
              </td>
              <td />
            </tr>
          )}
          {found.exposures.map((one) => (
            <tr key={one.board} className="border-b border-base-300">
              <th scope="row" className="py-1 text-left font-normal">
                Exposure of {one.board}
              </th>
              <td className="text-right font-mono">{one.stops.toFixed(2)} EV</td>
              <td className="text-right font-mono text-soft">± {one.unsure.toFixed(2)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-1 text-[12px] text-soft">
        Strengths are against what glows: exposure and all strengths at once cannot be told apart by a
        picture. {found.lengths?.words}
      </p>
    </div>
  );
}
