import { useEffect, useState } from "react";
import { useSearchParams } from "react-router";

import type { Light } from "../../api/client";
import { useDecide, useLight } from "../../api/hooks";
import { Mark } from "../../ui/Mark";
import { Notice, Waiting } from "../../ui/Notice";
import { useShownMove } from "../MoveShell";
import { Cameras } from "./Cameras";
import { AfterEffects } from "./AfterEffects";
import { EnvironmentStrip } from "./EnvironmentStrip";
import { Exposure } from "./Exposure";
import { LightmapsPage } from "./LightmapsPage";
import { Mixing } from "./Mixing";
import type { Put } from "./put";

const PAGES = [
  ["", "Surroundings and lights"],
  ["lightmaps", "Lightmaps"],
] as const;

/** Third stop: what lights the scene, and light written down. */
export function LightStop() {
  const [params, setParams] = useSearchParams();
  const page = params.get("page") ?? "";
  return (
    <div className="flex h-full flex-col">
      <nav aria-label="Light" className="flex gap-1 border-b border-base-300 px-3 py-2">
        {PAGES.map(([key, words]) => (
          <button key={key} className="press h-6 px-2" aria-pressed={page === key} onClick={() => setParams(key ? { page: key } : {})}>
            {words}
          </button>
        ))}
      </nav>
      <div className="min-h-0 flex-1">{page === "lightmaps" ? <LightmapsPage /> : <LightsPage />}</div>
    </div>
  );
}

/** The environment as a wide strip, the lights as a ledger, the exposure both sides share. */
function LightsPage() {
  const move = useShownMove();
  const light = useLight(move.id);
  const decide = useDecide(move.id);
  if (light.isPending) return <Waiting text="Looking at the lights…" />;
  if (light.error) return <Notice error={light.error} onRetry={() => void light.refetch()} />;
  const put = (target: string, field: string, value: unknown) => decide.mutate([{ target, field, value }]);
  return (
    <div className="h-full overflow-y-auto">
      <EnvironmentStrip move={move.id} data={light.data} onPut={put} />
      {decide.error && <Notice error={decide.error} />}
      <Mixing move={move.id} job={move.job} onDecide={(decisions) => decide.mutate(decisions)} />
      <div className="px-6 py-5">
        <section aria-label="Lights">
          <div className="flex items-center gap-3">
            <h1>Lights</h1>
            {light.data.lights.some((one) => one.enabled) && (
              <button className="press h-6 px-2" onClick={() => decide.mutate(light.data.lights.filter((one) => one.enabled).map((one) => ({ target: one.id, field: "enabled", value: false })))}>
                Switch all off
              </button>
            )}
          </div>
          <Lights lights={light.data.lights} onPut={put} />
        </section>
        <Cameras cameras={light.data.cameras} onPut={put} />
        <div className="mt-7 grid grid-cols-[360px_1fr] gap-10">
          <Exposure ev100={light.data.ev100 ?? null} move={move.id} onPut={put} />
          <AfterEffects data={light.data} onLeaveBehind={(ids) => decide.mutate(ids.map((id) => ({ target: `${id}/occlusion`, field: "input", value: null })))} />
        </div>
      </div>
    </div>
  );
}

function Lights({ lights, onPut }: { lights: Light[]; onPut: Put }) {
  if (lights.length === 0) return <p className="mt-2 text-soft">No lights came along. Only the environment and what glows light the scene.</p>;
  return (
    <table className="mt-3 w-full border-collapse">
      <thead>
        <tr className="border-b border-base-300 text-left text-soft">
          <th className="w-12 py-1 font-normal">on</th>
          <th className="font-normal">light</th>
          <th className="w-20 font-normal">kind</th>
          <th className="w-52 font-normal">strength</th>
          <th className="w-28 font-normal">as warm as</th>
          <th className="w-16 font-normal">shadows</th>
          <th className="w-24 text-right font-normal">received</th>
          <th className="w-56 pl-6 font-normal">arrives</th>
        </tr>
      </thead>
      <tbody>
        {lights.map((light) => (
          <LightRow key={light.id} light={light} onPut={onPut} />
        ))}
      </tbody>
    </table>
  );
}

function LightRow({ light, onPut }: { light: Light; onPut: Put }) {
  const [unit, setUnit] = useState(light.unit);
  const shown = light.units.find((one) => one.unit === unit) ?? light.units[0]!;
  const written = String(Number(shown.value.toPrecision(5)));
  const [strength, setStrength] = useState(written);
  const [kelvin, setKelvin] = useState("");
  useEffect(() => setStrength(written), [written]);
  const changed = strength !== written && Number(strength) >= 0;
  return (
    <tr className="h-8 border-b border-base-300">
      <td>
        <input type="checkbox" aria-label={`${light.name} on`} checked={light.enabled} onChange={(event) => onPut(light.id, "enabled", event.target.checked)} />
      </td>
      <td>
        <span className="mr-2 inline-block h-2.5 w-2.5 border border-base-content align-middle" style={{ background: `color(srgb-linear ${light.color.join(" ")})` }} />
        {light.name}
      </td>
      <td className="text-soft">{light.kind}</td>
      <td>
        <form
          className="flex items-center gap-1.5"
          onSubmit={(event) => {
            event.preventDefault();
            if (changed) onPut(light.id, "intensity", Number(strength) * shown.each);
          }}
        >
          <input className="field h-6 w-20 font-mono" aria-label={`Strength of ${light.name}`} inputMode="decimal" value={strength} onChange={(event) => setStrength(event.target.value)} />
          {light.units.length > 1 ? (
            <select className="field h-6 w-[66px]" aria-label={`Unit of ${light.name}`} value={unit} onChange={(event) => setUnit(event.target.value)}>
              {light.units.map((one) => (
                <option key={one.unit}>{one.unit}</option>
              ))}
            </select>
          ) : (
            <span className="w-[66px] pl-1.5">{unit}</span>
          )}
          {changed && <button className="press h-6 px-2">Set</button>}
        </form>
      </td>
      <td>
        <form
          className="flex items-center gap-1"
          onSubmit={(event) => {
            event.preventDefault();
            if (Number(kelvin) >= 1667 && Number(kelvin) <= 25000) onPut(light.id, "kelvin", Number(kelvin));
          }}
        >
          <input className="field h-6 w-16 font-mono" aria-label={`Colour temperature of ${light.name}, kelvin`} placeholder="K" inputMode="numeric" value={kelvin} onChange={(event) => setKelvin(event.target.value)} />
          {kelvin && <button className="press h-6 px-1.5">Set</button>}
        </form>
      </td>
      <td>
        <input type="checkbox" aria-label={`${light.name} casts shadows`} checked={light.shadows} onChange={(event) => onPut(light.id, "shadows", event.target.checked)} />
      </td>
      <td className="text-right font-mono text-soft">
        {Number(light.received_intensity.toFixed(2))} {light.unit}
      </td>
      <td className="pl-6">
        <span className="tight flex items-center gap-2 text-[12px] whitespace-nowrap">
          {light.mark && <Mark mark={light.mark} />} {light.text}
        </span>
      </td>
    </tr>
  );
}
