import type { Lens } from "../../api/client";
import { Mark } from "../../ui/Mark";
import { NumberField } from "../../ui/NumberField";
import { type Put, rangeOf } from "../../api/decisions";

/** Cameras as cargo: angle, frame, focus and f-stop, and how well they arrive. */
export function Cameras({ cameras, onPut }: { cameras: Lens[]; onPut: Put }) {
  if (!cameras.length) return null;
  return (
    <section aria-label="Cameras" className="mt-7">
      <h1>Cameras</h1>
      <table className="mt-3 w-full border-collapse">
        <thead>
          <tr className="border-b border-base-300 text-left text-soft">
            <th className="py-1 font-normal">camera</th>
            <th className="w-24 font-normal">angle, ° high</th>
            <th className="w-24 font-normal">wide : high</th>
            <th className="w-28 font-normal">in focus, m</th>
            <th className="w-24 font-normal">f-stop</th>
            <th className="w-40 text-right font-normal">lens on sensor</th>
            <th className="w-44 text-right font-normal">seen from, to</th>
            <th className="w-64 pl-6 font-normal">arrives</th>
          </tr>
        </thead>
        <tbody>
          {cameras.map((camera) => (
            <tr key={camera.id} className="h-8 border-b border-base-300">
              <td>{camera.name}</td>
              <td>
                <NumberField
                  label={`Angle of ${camera.name}`}
                  value={camera.yfov_deg}
                  range={rangeOf("yfov_deg")}
                  onSet={(value) => onPut(camera.id, "yfov_deg", value)}
                />
              </td>
              <td>
                <NumberField
                  range={rangeOf("aspect")}
                  empty="all"
                  label={`Frame of ${camera.name}`}
                  value={camera.aspect}
                  onSet={(value) => onPut(camera.id, "aspect", value)}
                />
              </td>
              <td>
                <NumberField
                  range={rangeOf("focus_m")}
                  empty="all"
                  label={`Focus of ${camera.name}`}
                  value={camera.focus_m}
                  onSet={(value) => onPut(camera.id, "focus_m", value)}
                />
              </td>
              <td>
                <NumberField
                  range={rangeOf("f_stop")}
                  empty="all"
                  label={`F-stop of ${camera.name}`}
                  value={camera.f_stop}
                  onSet={(value) => onPut(camera.id, "f_stop", value)}
                />
              </td>
              <td className="text-right font-mono text-soft">
                {camera.focal_mm.toFixed(0)} mm on {camera.sensor_mm.toFixed(0)} mm
              </td>
              <td className="text-right font-mono text-soft">
                {Number(camera.znear_m.toPrecision(2))} m,{" "}
                {camera.zfar_m ? `${Number(camera.zfar_m.toPrecision(3))} m` : "no end"}
              </td>
              <td className="pl-6">
                <span className="tight flex items-center gap-2 text-[12px] whitespace-nowrap">
                  <Mark mark={camera.mark} /> {camera.text}
                </span>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-2 max-w-[70ch] text-[12px] text-soft">
        With a focus and an f-stop only that distance is sharp. In a picture of another shape the whole frame
        stays in view.
      </p>
    </section>
  );
}
