import type { OwnPicture } from "../../../api/client";

/** How far each material of both sides lies from the picture. */
export function OnMaterials({ picture }: { picture: OwnPicture }) {
  const held = picture.held;
  if (!held) return <section aria-label="By material" />;
  const rows = held.materials;
  const most = Math.max(1, ...rows.flatMap((row) => [row.reference.value, row.arrival.value]));
  return (
    <section aria-label="By material">
      <h2>Off your picture, by material</h2>
      <table className="mt-2 w-full">
        <thead>
          <tr className="text-left text-[12px] text-soft">
            <th className="font-normal">material</th>
            <th className="text-right font-normal">of the picture</th>
            <th className="text-right font-normal">reference</th>
            <th className="text-right font-normal">arrival</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row.id} className="h-7 border-t border-base-300">
              <th scope="row" className="max-w-0 w-1/2 truncate text-left font-normal">
                {row.name}
              </th>
              <td className="text-right font-mono text-[12px] text-soft">{(row.cover * 100).toFixed(1)} %</td>
              {(["reference", "arrival"] as const).map((side) => (
                <td
                  key={side}
                  className="w-24 text-right font-mono"
                  title={`${row[side].low.toFixed(1)} to ${row[side].high.toFixed(1)}`}
                >
                  {row[side].value.toFixed(1)}
                  <span aria-hidden className="mt-0.5 ml-auto block h-1 w-20 bg-base-300">
                    <span
                      className="block h-full bg-base-content"
                      style={{ width: `${(row[side].value / most) * 100}%` }}
                    />
                  </span>
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
