import type { Fit } from "../../api/client";
import { Mark } from "../../ui/Mark";

const distance = (metres: number | null) =>
  metres === null
    ? ""
    : metres < 1e-6
      ? "0 mm"
      : metres < 0.01
        ? `${(metres * 1000).toPrecision(2)} mm`
        : `${(metres * 100).toPrecision(2)} cm`;

/** Meshes that do not arrive as they are: what is asked, what it costs, measured on the surface. */
export function Meshes({ fit }: { fit: Fit }) {
  return (
    <section aria-label="Meshes" className="min-w-0 flex-1 overflow-y-auto px-[18px] pt-4 pb-6">
      <h1>Meshes</h1>
      <p className="text-soft">
        Parts whose triangles change on the way. Ask for it on Inventory, or in the destination's sheet.
      </p>
      <table className="mt-4 w-full border-collapse">
        <thead>
          <tr className="border-b border-base-300 text-left text-soft">
            <th className="py-1.5 font-normal">Part</th>
            <th className="py-1.5 font-normal">on the way</th>
            <th className="py-1.5 text-right font-normal">triangles</th>
            <th className="py-1.5 text-right font-normal">surface moves at most</th>
            <th className="py-1.5 text-right font-normal">on average</th>
            <th className="w-[74px] py-1.5 text-right font-normal">carried</th>
          </tr>
        </thead>
        <tbody>
          {fit.meshes.map((mesh) => (
            <tr key={mesh.mesh} className="border-b border-base-300 align-top">
              <td className="py-2 font-semibold">{mesh.parts.join(", ")}</td>
              <td className="py-2">
                {mesh.text}
                {mesh.reason && <span className="block text-[12px] text-soft">{mesh.reason}</span>}
              </td>
              <td className="py-2 text-right font-mono text-[12px]">
                {mesh.before} → {mesh.after}
              </td>
              <td className="py-2 text-right font-mono text-[12px]">{distance(mesh.largest_m)}</td>
              <td className="py-2 text-right font-mono text-[12px]">{distance(mesh.mean_m)}</td>
              <td className="py-2">
                <span className="flex items-center justify-end gap-2">
                  {mesh.mark} <Mark mark={mesh.mark} />
                </span>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
