import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";

import type { Decision, Job, Mix } from "../../api/client";
import { deciding } from "../../api/decisions";
import { isRunning, useAfter, useMix, useStartJob } from "../../api/hooks";
import { Choice } from "../../ui/Choice";
import { Notice } from "../../ui/Notice";
import { ContactStrip } from "./ContactStrip";
import { developed, sum } from "./mixing";

/** The lamps as a strip of pictures of each alone; nothing is rendered while they are made brighter or darker, and what is found is written back as strengths. */
export function Mixing({
  move,
  job,
  onDecide,
}: {
  move: number;
  job: Job | null;
  onDecide: (decisions: Decision[]) => void;
}) {
  const mix = useMix(move);
  const start = useStartJob(move);
  const [view, setView] = useState("");
  useAfter(job, ["mix"], mix.refetch);
  const running = job && job.kind === "mix" && isRunning(job) ? job : null;
  const data = mix.data;
  return (
    <section aria-label="Mix" className="px-6 pt-5">
      <div className="flex flex-wrap items-end gap-3">
        <h1 className="mr-2">Mix</h1>
        {data && data.views.length > 1 && (
          <Choice
            label="View"
            value={view || data.views[0]!}
            options={data.views.map((name) => [name, name] as const)}
            onChange={setView}
          />
        )}
        <button
          className={`press ${data?.layers.length ? "" : "press-main"}`}
          disabled={running !== null || start.isPending}
          onClick={() => start.mutate({ kind: "mix", settings: { view: view || (data?.views[0] ?? "") } })}
        >
          {running
            ? "Each lamp is rendered alone…"
            : data?.layers.length
              ? "Render the lamps again"
              : "Render each lamp alone"}
        </button>
        {!data?.layers.length && (
          <span className="pb-1 text-soft">once; then they are mixed without rendering</span>
        )}
        {data && data.layers.length > 0 && !data.current && (
          <span className="pb-1 text-soft">the scene has changed since, apart from strengths</span>
        )}
      </div>
      {mix.error && <Notice error={mix.error} />}
      {start.error && <Notice error={start.error} />}
      {data && data.layers.length > 0 && (
        <Mixed key={data.version} move={move} mix={data} onDecide={onDecide} />
      )}
    </section>
  );
}

function Mixed({
  move,
  mix,
  onDecide,
}: {
  move: number;
  mix: Mix;
  onDecide: (decisions: Decision[]) => void;
}) {
  const [shift, setShift] = useState<Record<string, number>>({});
  const [muted, setMuted] = useState<string[]>([]);
  const [alone, setAlone] = useState<string | null>(null);
  const [compare, setCompare] = useState(false);
  const canvas = useRef<HTMLCanvasElement>(null);
  const layers = useQuery({
    queryKey: ["mix layers", move, mix.version],
    queryFn: async () =>
      new Float32Array(
        await (await fetch(`/api/moves/${move}/mix.bin?v=${mix.version.slice(0, 12)}`)).arrayBuffer(),
      ),
    staleTime: Infinity,
  });
  const gains = useMemo(
    () =>
      mix.layers.map((layer) => {
        const now = layer.base > 0 ? layer.strength / layer.base : 0;
        if (compare) return now;
        if (alone !== null ? alone !== layer.name : muted.includes(layer.name)) return 0;
        return now * 2 ** (shift[layer.name] ?? 0);
      }),
    [mix.layers, shift, muted, alone, compare],
  );
  useEffect(() => {
    const pen = canvas.current?.getContext("2d");
    if (!pen || !layers.data) return;
    pen.putImageData(
      new ImageData(
        developed(sum(layers.data, gains, mix.width * mix.height), mix.ev100),
        mix.width,
        mix.height,
      ),
      0,
      0,
    );
  }, [gains, layers.data, mix]);
  const changed = mix.layers.filter((layer) => layer.target && (shift[layer.name] ?? 0) !== 0);
  const off = mix.layers.filter((layer) => layer.target.startsWith("light:") && muted.includes(layer.name));
  return (
    <div className="mt-3 flex items-start gap-5">
      <div className="shrink-0 bg-booth p-2">
        <canvas
          ref={canvas}
          width={mix.width}
          height={mix.height}
          role="img"
          aria-label="The mix"
          className="block w-[440px]"
        />
      </div>
      <div className="min-w-0 flex-1">
        <ContactStrip
          mix={mix}
          layers={layers.data}
          shift={shift}
          muted={muted}
          onShift={(layer, value) => setShift((before) => ({ ...before, [layer]: value }))}
          onMute={(layer) =>
            setMuted(muted.includes(layer) ? muted.filter((one) => one !== layer) : [...muted, layer])
          }
          onAlone={setAlone}
        />
        <div className="mt-3 flex items-center gap-2">
          <button
            className="press press-main"
            disabled={changed.length + off.length === 0}
            onClick={() => {
              onDecide([
                ...changed.map((layer) =>
                  deciding(
                    layer.target,
                    layer.target === "environment" ? "level" : "intensity",
                    layer.strength * 2 ** (shift[layer.name] ?? 0),
                  ),
                ),
                ...off.map((layer) => deciding(layer.target, "enabled", false)),
              ]);
              setShift({});
              setMuted([]);
            }}
          >
            Write the mix down as strengths
          </button>
          <button
            className="press"
            disabled={changed.length + muted.length === 0 && alone === null}
            onPointerDown={() => setCompare(true)}
            onPointerUp={() => setCompare(false)}
            onPointerLeave={() => setCompare(false)}
          >
            Hold to see it as it was
          </button>
          <span className="font-mono text-[12px] text-soft">EV {mix.ev100.toFixed(1)}</span>
        </div>
      </div>
    </div>
  );
}
