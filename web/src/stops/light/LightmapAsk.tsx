import { useEffect, useState } from "react";

import type { Job, Lightmaps } from "../../api/client";
import { isRunning, useCancelJob, useStartJob } from "../../api/hooks";
import { Choice } from "../../ui/Choice";
import { Notice } from "../../ui/Notice";
import { NumberField } from "../../ui/NumberField";
import { type Put, rangeOf } from "../../api/decisions";

const PATHS = [
  [16, "Glance, 16 paths"],
  [64, "Preview, 64 paths"],
  [256, "Good, 256 paths"],
  [512, "Final, 512 paths"],
  [1024, "Finest, 1024 paths"],
] as const;
const BOUNCES = [0, 1, 2, 3, 4, 6, 8].map(
  (n) => [n, n === 0 ? "direct light only" : `${n} bounce${n > 1 ? "s" : ""}`] as const,
);

/** What is asked of the bake, and the bake itself. */
export function LightmapAsk({
  move,
  data,
  job,
  onPut,
}: {
  move: number;
  data: Lightmaps;
  job: Job | null;
  onPut: Put;
}) {
  const start = useStartJob(move);
  const cancel = useCancelJob(move);
  const [budget, setBudget] = useState(String(data.budget_mib));
  const [seconds, setSeconds] = useState(data.seconds ? String(data.seconds) : "");
  useEffect(() => setBudget(String(data.budget_mib)), [data.budget_mib]);
  useEffect(() => setSeconds(data.seconds ? String(data.seconds) : ""), [data.seconds]);
  const running = job && job.kind === "bake" && isRunning(job) ? job : null;
  const paths = PATHS.some(([n]) => n === data.paths)
    ? PATHS
    : ([...PATHS, [data.paths, `${data.paths} paths`]] as const);
  const changed = Number(budget) !== data.budget_mib && Number(budget) > 0;
  return (
    <section aria-label="Bake" className="border-b border-base-300 px-5 py-4">
      <div className="flex flex-wrap items-end gap-3">
        <Choice
          label="Quality"
          value={data.paths}
          options={paths}
          onChange={(v) => onPut("lightmaps", "paths", Number(v))}
        />
        <Choice
          label="Light sent on"
          value={data.bounces}
          options={BOUNCES}
          onChange={(v) => onPut("lightmaps", "bounces", Number(v))}
        />
        <form
          className="flex items-end gap-1.5"
          onSubmit={(event) => {
            event.preventDefault();
            if (changed) onPut("lightmaps", "lightmap_mib", Number(budget));
          }}
        >
          <label className="block">
            <span className="block text-[12px] text-soft">Memory, MiB</span>
            <input
              className="field w-16 font-mono"
              inputMode="decimal"
              value={budget}
              onChange={(event) => setBudget(event.target.value)}
            />
          </label>
          {changed && <button className="press">Set</button>}
        </form>
        <form
          className="flex items-end gap-1.5"
          onSubmit={(event) => {
            event.preventDefault();
            onPut("lightmaps", "bake_seconds", seconds ? Number(seconds) : null);
          }}
        >
          <label className="block">
            <span className="block text-[12px] text-soft">At most, s</span>
            <input
              className="field w-16 font-mono"
              inputMode="decimal"
              placeholder="any"
              value={seconds}
              onChange={(event) => setSeconds(event.target.value)}
            />
          </label>
          {(seconds ? Number(seconds) : 0) !== data.seconds && <button className="press">Set</button>}
        </form>
        {running ? (
          <button className="press" onClick={() => cancel.mutate(running.id)}>
            Cancel
          </button>
        ) : (
          <button
            className="press press-main"
            disabled={start.isPending}
            onClick={() =>
              start.mutate({ kind: "bake", settings: data.baked?.earlier ? { anew: true } : {} })
            }
          >
            {data.baked?.earlier ? "Bake anew" : data.baked ? "Bake again" : "Bake"}
          </button>
        )}
      </div>
      <div className="mt-3 flex flex-wrap gap-x-5 gap-y-1">
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={data.denoised}
            onChange={(event) => onPut("lightmaps", "denoised", event.target.checked)}
          />{" "}
          take out noise
        </label>
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={data.stitched}
            onChange={(event) => onPut("lightmaps", "stitched", event.target.checked)}
          />{" "}
          stitch seams
        </label>
        {data.takes_direction && (
          <label
            className="flex items-center gap-2"
            title="an image beside each lightmap says where most of its light comes from, so that relief still shows"
          >
            <input
              type="checkbox"
              checked={data.directed}
              onChange={(event) => onPut("lightmaps", "directed", event.target.checked)}
            />{" "}
            tell where light comes from
          </label>
        )}
        <Matters data={data} onPut={onPut} />
        <span className="text-soft">
          {data.encoding}
          {data.compressed ? ", compressed" : ""}, {data.packing}
          {data.budget_mib !== data.sheet_budget_mib ? `; the sheet gives ${data.sheet_budget_mib} MiB` : ""}
        </span>
      </div>
      {start.error && <Notice error={start.error} />}
      {data.baked?.earlier && (
        <p className="mt-3 border-l-[3px] border-primary pl-2">
          An earlier version of Trasloco made these. They can be used as they are; “Bake anew” makes them with
          this one.
        </p>
      )}
      {data.baked && <Baked baked={data.baked} />}
    </section>
  );
}

/** The area that matters most: what lies elsewhere gets half the texels a metre. */
function Matters({ data, onPut }: { data: Lightmaps; onPut: Put }) {
  const told = data.matters;
  const around = told && "part" in told ? told : null;
  const key = told && "camera" in told ? told.camera : (around?.part ?? "");
  return (
    <span className="flex items-center gap-1.5">
      <label className="flex items-center gap-1.5">
        what matters most
        <select
          className="field h-6 max-w-44"
          value={key}
          onChange={(event) => {
            const chosen = event.target.value;
            onPut(
              "lightmaps",
              "matters",
              chosen === ""
                ? null
                : data.cameras.some((one) => one.id === chosen)
                  ? { camera: chosen }
                  : { part: chosen, around_m: 0.1 },
            );
          }}
        >
          <option value="">what cameras see</option>
          {data.cameras.map((camera) => (
            <option key={camera.id} value={camera.id}>
              seen by {camera.name}
            </option>
          ))}
          {data.parts.map((part) => (
            <option key={part.id} value={part.id}>
              around {part.name}
            </option>
          ))}
        </select>
      </label>
      {around && (
        <>
          within{" "}
          <NumberField
            label="Metres around it"
            value={around.around_m ?? 0}
            range={rangeOf("matters", "around_m")}
            onSet={(around_m) => onPut("lightmaps", "matters", { part: around.part, around_m })}
            className="w-14"
          />{" "}
          m
        </>
      )}
    </span>
  );
}

function Baked({ baked }: { baked: NonNullable<Lightmaps["baked"]> }) {
  return (
    <dl className="mt-4 flex flex-wrap gap-x-7 gap-y-2">
      <Figure
        name="images"
        value={baked.maps.length === 1 ? `${baked.maps[0]!.width}²` : String(baked.maps.length)}
      />
      <Figure name="in memory" value={`${baked.memory_mib.toFixed(2)} MiB`} />
      <Figure name="as files" value={`${baked.files_mib.toFixed(2)} MiB`} />
      <Figure name="lost by storing" value={`ΔE ${baked.cost.toFixed(2)}`} />
      <Figure name="across seams" value={`ΔE ${baked.seam.toFixed(1)}`} />
      <Figure name="paths a texel" value={String(baked.paths)} />
      {baked.probes > 0 && <Figure name="probes for what moves" value={String(baked.probes)} />}
    </dl>
  );
}

function Figure({ name, value }: { name: string; value: string }) {
  return (
    <div>
      <dt className="text-[12px] text-soft">{name}</dt>
      <dd className="font-mono">{value}</dd>
    </div>
  );
}
