import { useEffect, useState } from "react";
import { useSearchParams } from "react-router";

import type { ProofRow, Proofs } from "../../api/client";
import { isRunning, useNameProof, useProofs, useStartJob } from "../../api/hooks";
import { when } from "../../ui/format";
import { Notice, Waiting } from "../../ui/Notice";
import { useShownMove } from "../MoveShell";
import { Booth } from "./Booth";
import { readFigures, type ViewFigures } from "./figures";

const QUALITIES = [
  ["quick", "Quick, 8 samples", 8],
  ["usual", "Usual, 32 samples", 32],
  ["fine", "Fine, 128 samples", 128],
] as const;

/** Fourth stop: three pictures in a row, then the figure, what differs most, and every material. */
export function ProofStop() {
  const move = useShownMove();
  const proofs = useProofs(move.id);
  const start = useStartJob(move.id);
  const [params, setParams] = useSearchParams();
  const [view, setView] = useState<string | null>(null);
  const [quality, setQuality] = useState<(typeof QUALITIES)[number][0]>("usual");
  const running = move.job?.kind === "prove" && isRunning(move.job) ? move.job : null;
  const finished = move.job?.kind === "prove" && move.job.state === "done" ? move.job.id : null;
  const { refetch } = proofs;
  useEffect(() => {
    if (finished !== null) void refetch();
  }, [finished, refetch]);

  if (proofs.isPending) return <Waiting text="Looking for earlier proofs…" />;
  if (proofs.error) return <Notice error={proofs.error} onRetry={() => void proofs.refetch()} />;
  const data: Proofs = proofs.data;
  const shown = data.proofs.find((proof) => String(proof.number) === params.get("proof")) ?? data.proofs[0];
  const chosenView = view ?? data.views[0] ?? "";
  const early = (running?.result.pictures ?? {}) as Record<string, Partial<Record<"reference" | "arrival", string>>>;
  const earlyView = Object.keys(early)[0];
  const prove = () => start.mutate({ kind: "prove", settings: { view: chosenView, samples: QUALITIES.find(([key]) => key === quality)![2], width: 640, height: 360 } });

  const controls = (
    <div className="flex flex-wrap items-center gap-2">
      <select className="field" aria-label="View" value={chosenView} onChange={(event) => setView(event.target.value)}>
        {data.views.map((name) => (
          <option key={name}>{name}</option>
        ))}
        {data.views.length > 1 && <option value="all">all views</option>}
      </select>
      <select className="field" aria-label="Quality" value={quality} onChange={(event) => setQuality(event.target.value as typeof quality)}>
        {QUALITIES.map(([key, label]) => (
          <option key={key} value={key}>
            {label}
          </option>
        ))}
      </select>
      <button className="press press-main" disabled={running !== null || start.isPending} onClick={prove}>
        {running ? "Proving…" : "Prove"}
      </button>
    </div>
  );

  if (running && earlyView) {
    return (
      <div className="h-full overflow-y-auto">
        <Booth pictures={early[earlyView]!} labels={{ reference: `${earlyView}, so far`, arrival: running.message }} />
        <div className="p-5 text-soft">The figures follow when both sides have all their samples.</div>
      </div>
    );
  }
  if (!shown) {
    return (
      <div className="p-8">
        <h1>No proof yet</h1>
        <p className="mt-1 max-w-xl text-soft">The package is written, read back from its bytes as the destination would, and both sides are rendered from the same view in the same light.</p>
        <div className="mt-4">{controls}</div>
        {running && <p className="mt-3 text-soft">{running.message || "The package is being written and read back…"}</p>}
        {start.error && <Notice error={start.error} />}
      </div>
    );
  }
  return <Shown proof={shown} proofs={data.proofs} controls={controls} destination={move.destination} onShow={(number) => setParams({ proof: String(number) }, { replace: true })} move={move.id} />;
}

function Shown({ proof, proofs, controls, destination, onShow, move }: { proof: ProofRow; proofs: ProofRow[]; controls: React.ReactNode; destination: string; onShow: (number: number) => void; move: number }) {
  const figures = readFigures(proof.figures);
  const [viewName, setViewName] = useState<string | null>(null);
  const view = figures.views.find((one) => one.name === viewName) ?? figures.views.find((one) => one.name === figures.worst_view)!;
  const naming = useNameProof(move);
  return (
    <div className="flex h-full flex-col overflow-y-auto">
      <Booth pictures={proof.pictures[view.name] ?? {}} labels={{ reference: `${view.samples} spp · ${view.seconds[0]?.toFixed(0)} s`, arrival: `${destination.replace(/^./, (c) => c.toUpperCase())} · ${view.samples} spp · ${view.seconds[1]?.toFixed(0)} s` }} />
      <div className="grid flex-1 grid-cols-[250px_1fr_330px]">
        <section aria-label="Figure" className="border-r border-base-300 p-[18px]">
          <p className="tight text-[58px] leading-none font-bold" data-testid="mean">
            ΔE {figures.mean.toFixed(1)}
          </p>
          <p className="mt-1 text-[15px]">{figures.verdict}</p>
          <dl className="mt-4 grid grid-cols-[1fr_auto] gap-y-1.5 font-mono text-[12px]">
            <dt>95 % below</dt>
            <dd>{view.p95.toFixed(1)}</dd>
            <dt>noise floor</dt>
            <dd>{view.noise.toFixed(1)}</dd>
            <dt className="truncate">{view.materials[0]?.name}</dt>
            <dd>{view.materials[0]?.mean.toFixed(1)}</dd>
            <dt>exposure</dt>
            <dd>EV {view.ev100.toFixed(1)}</dd>
          </dl>
          {!proof.current && <p className="mt-3 border-l-[3px] border-primary pl-2">The plan has changed since. Prove again.</p>}
          <div className="mt-4">{controls}</div>
        </section>
        <section aria-label="Parts" className="border-r border-base-300 p-[18px]">
          <div className="flex items-baseline justify-between gap-4">
            <h2>Where it differs</h2>
            {figures.views.length > 1 && (
              <select className="field" aria-label="View shown" value={view.name} onChange={(event) => setViewName(event.target.value)}>
                {figures.views.map((one) => (
                  <option key={one.name} value={one.name}>
                    {one.name}, ΔE {one.mean.toFixed(1)}
                    {one.name === figures.worst_view ? ", worst" : ""}
                  </option>
                ))}
              </select>
            )}
          </div>
          <p className="text-soft">part by part, mean ΔE over the pixels of each, and its share of the picture</p>
          <Shares rows={view.parts.filter((part) => part.cover > 0.0005).slice(0, 14)} noise={view.noise} />
          <h2 className="mt-6">Proofs</h2>
          <ul>
            {proofs.map((one) => {
              const told = readFigures(one.figures);
              return (
                <li key={one.id} className={`flex h-8 items-center gap-3 border-b border-base-300 ${one.id === proof.id ? "font-semibold" : ""}`}>
                  <button className="w-8 text-left underline" onClick={() => onShow(one.number)} aria-current={one.id === proof.id}>
                    {one.number}
                  </button>
                  <input
                    className="min-w-0 flex-1 bg-transparent placeholder:text-soft"
                    aria-label={`Name of proof ${one.number}`}
                    defaultValue={one.name}
                    placeholder={told.views.map((v) => v.name).join(", ")}
                    onBlur={(event) => event.target.value !== one.name && naming.mutate({ proof: one.id, name: event.target.value })}
                  />
                  <span className="text-soft">{when(one.created)}</span>
                  <span className="w-16 text-right font-mono">ΔE {told.mean.toFixed(1)}</span>
                </li>
              );
            })}
          </ul>
        </section>
        <section aria-label="Materials" className="p-[18px]">
          <h2>Material by material</h2>
          <Shares rows={view.materials} noise={view.noise} />
        </section>
      </div>
    </div>
  );
}

function Shares({ rows, noise }: { rows: ViewFigures["materials"]; noise: number }) {
  const most = Math.max(0.1, ...rows.map((row) => row.mean));
  return (
    <ul className="mt-2">
      {rows.map((row) => (
        <li key={row.id} className="flex h-7 items-center gap-3 border-b border-base-300">
          <span className="min-w-0 flex-1 truncate">{row.name}</span>
          <span className="w-16 text-right font-mono text-[12px] whitespace-nowrap text-soft">{row.cover >= 0.001 ? `${(row.cover * 100).toFixed(1)} %` : "< 0.1 %"}</span>
          <span className={`w-10 text-right font-mono ${row.mean <= noise ? "text-soft" : ""}`} title={row.mean <= noise ? "within the noise" : ""}>
            {row.mean.toFixed(1)}
          </span>
          <span className="h-1.5 w-16">
            <span className="block h-1.5 bg-base-content" style={{ width: `${(row.mean / most) * 100}%` }} />
          </span>
        </li>
      ))}
    </ul>
  );
}

