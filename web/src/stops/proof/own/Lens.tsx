import type { Decision, MatchedLight } from "../../../api/client";

type Lens = NonNullable<MatchedLight["lens"]>;

/** What the camera did to the picture beside its light: white, contrast, fringes, focus. */
export function Lens({
  lens,
  after,
  busy,
  onKeep,
}: {
  lens: Lens;
  after: number;
  busy: boolean;
  onKeep: (decisions: Decision[]) => void;
}) {
  const rows: [string, string][] = [];
  if (lens.white) rows.push(["White is shown as", lens.white.map((one) => one.toFixed(3)).join(" ")]);
  if (lens.contrast.told)
    rows.push([
      "Contrast",
      `${lens.contrast.value > 0 ? "+" : ""}${lens.contrast.value.toFixed(2)} ± ${lens.contrast.unsure.toFixed(2)}`,
    ]);
  for (const [words, one] of [
    ["Red is shown larger by", lens.red],
    ["Blue is shown larger by", lens.blue],
  ] as const)
    if (one.told) rows.push([words, `${(one.value * 100).toFixed(2)} % ± ${(one.unsure * 100).toFixed(2)}`]);
  if (lens.bend)
    rows.push([
      `Lines bend ${lens.bend > 0 ? "inwards" : "outwards"}, taken out; at the corners by`,
      `${Math.abs(lens.bend * 100).toFixed(1)} %`,
    ]);
  if (lens.focus)
    rows.push(
      ["Sharp at", `${lens.focus.distance_m.toPrecision(3)} m`],
      [`Opening, for a sensor ${lens.focus.sensor_mm} mm high`, `f/${lens.focus.f_stop.toPrecision(2)}`],
    );
  return (
    <section aria-label="What the camera did" className="mt-3">
      <h3 className="font-semibold">What the camera did</h3>
      {rows.length === 0 ? (
        <p className="text-soft">
          Nothing that this picture shows: white is white, contrast and colours are as they were, and all of
          it is equally sharp.
        </p>
      ) : (
        <table className="w-full">
          <tbody>
            {rows.map(([words, value]) => (
              <tr key={words} className="border-t border-base-300">
                <th scope="row" className="py-1 text-left font-normal">
                  {words}
                </th>
                <td className="text-right font-mono">{value}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {lens.after !== null && lens.after !== undefined && rows.length > 0 && (
        <p className="mt-1 text-soft">
          With all of it done to the matched light, ΔE {after.toFixed(1)} becomes {lens.after.toFixed(1)}.
        </p>
      )}
      {lens.camera.length > 0 && (
        <button
          className="press mt-2"
          disabled={busy}
          onClick={() => onKeep(lens.camera as unknown as Decision[])}
        >
          Make a camera with this focus
        </button>
      )}
    </section>
  );
}
