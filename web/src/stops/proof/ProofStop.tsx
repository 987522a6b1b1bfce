import { useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";

import { type Move, type ProofRow, type Proofs } from "../../api/client";
import { isRunning, useAfter, useNameProof, useProofs, useStartJob } from "../../api/hooks";
import { proofPixel } from "../../api/proofPixel";
import { when } from "../../ui/format";
import { Papers } from "../../ui/Papers";
import { Notice, Waiting } from "../../ui/Notice";
import { PageStrip } from "../../ui/PageStrip";
import { useShownMove } from "../MoveShell";
import { Asking } from "./Asking";
import { Booth } from "./Booth";
import { Causes } from "./Causes";
import { Figure, Saving } from "./Figure";
import { GaugePage } from "./gauge/GaugePage";
import { Motion } from "./Motion";
import { OneSide } from "./OneSide";
import { OwnPicturesPage } from "./own/OwnPicturesPage";
import { type Held, OverThere } from "./OverThere";
import { Shares } from "./Shares";
import { Trend } from "./Trend";
import { Worth } from "./Worth";

const PAGES = [
  ["", "Both sides"],
  ["own", "Own pictures"],
  ["gauge", "Gauge"],
] as const;

/** Fourth stop: both sides compared, one's own pictures held beside them, and the destination measured. */
export function ProofStop() {
  const [params, setParams] = useSearchParams();
  const page = params.get("page") ?? "";
  return (
    <div className="flex h-full flex-col">
      <PageStrip
        label="Proof"
        pages={PAGES}
        shown={page}
        onShow={(key) => setParams(key ? { page: key } : {})}
      />
      <div className="min-h-0 flex-1">
        {page === "own" ? <OwnPicturesPage /> : page === "gauge" ? <GaugePage /> : <ProofPage />}
      </div>
    </div>
  );
}

/** Three pictures in a row, then the figure, its causes with their cures, and every material. */
function ProofPage() {
  const move = useShownMove();
  const proofs = useProofs(move.id);
  const [params, setParams] = useSearchParams();
  const [view, setView] = useState<string | null>(null);
  const running = move.job?.kind === "prove" && isRunning(move.job) ? move.job : null;
  const answered =
    move.job?.kind === "prove" && move.job.state === "done" ? move.job.result.proof : undefined;
  useAfter(move.job, ["prove", "causes", "worth", "sequence"], proofs.refetch);
  const [closed, setClosed] = useState<number | null>(null);
  const drawn =
    move.job?.kind === "draw" && move.job.id !== closed && (isRunning(move.job) || move.job.result.drawn)
      ? move.job
      : null;

  const frames =
    move.job?.kind === "sequence" ? `${move.job.state} ${Math.floor(move.job.fraction * 12)}` : "";
  useEffect(() => {
    if (frames) void proofs.refetch();
    // Frames are shown as they come; what is asked may be a new function at every turn.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [frames]);

  if (proofs.isPending) return <Waiting text="Looking for earlier proofs…" />;
  if (proofs.error) return <Notice error={proofs.error} onRetry={() => void proofs.refetch()} />;
  const data: Proofs = proofs.data;
  const shown =
    data.proofs.find((proof) => String(proof.number) === params.get("proof")) ??
    data.proofs.find((proof) => proof.id === answered) ??
    data.proofs[0];
  const asking = (
    <Asking
      move={move.id}
      data={data}
      job={move.job ?? null}
      view={view ?? data.views[0] ?? ""}
      onView={setView}
    />
  );
  if (drawn)
    return (
      <div className="h-full overflow-y-auto">
        <OneSide job={drawn} onClose={() => setClosed(drawn.id)} />
        <div className="w-[330px] p-5">{asking}</div>
      </div>
    );
  const early = running?.result.pictures ?? {};
  const earlyView = Object.keys(early).at(-1);

  if (running && earlyView) {
    return (
      <div className="h-full overflow-y-auto">
        <Booth
          pictures={early[earlyView]!}
          aspect={16 / 9}
          labels={{ reference: `${earlyView}, so far, noise taken out`, arrival: running.message }}
        />
        <div className="flex items-start gap-8 p-5">
          <p className="flex-1 text-soft">
            The figures follow when both sides have all their samples; what is measured is never denoised.
          </p>
          <div className="w-[330px]">{asking}</div>
        </div>
      </div>
    );
  }
  if (!shown) {
    return (
      <div className="p-8">
        <h1>No proof yet</h1>
        <p className="mt-1 max-w-xl text-soft">
          The package is written, read back from its bytes as the destination would, and both sides are
          rendered from the same view in the same light.
        </p>
        <div className="mt-4 max-w-md">{asking}</div>
        <h2 className="mt-8">Over there</h2>
        <div className="max-w-md">
          <OverThere move={move} data={data} view={data.views[0] ?? ""} />
        </div>
        {running && (
          <p className="mt-3 text-soft">{running.message || "The package is being written and read back…"}</p>
        )}
      </div>
    );
  }
  return (
    <Shown
      key={shown.id}
      proof={shown}
      data={data}
      asking={asking}
      onShow={(number) => setParams({ proof: String(number) }, { replace: true })}
      move={move}
    />
  );
}

/** A picture from over there beside how it is explained, in the places of reference and arrival. */
const picturesOf = ({ seen, explanation }: Held) => ({
  reference: seen.seen,
  arrival: explanation ? explanation.picture : seen.meant,
});

/** Pixels across that an area is proved at, at least. */
const LEAST_WIDTH = 480;

function Shown({
  proof,
  data,
  asking,
  onShow,
  move,
}: {
  proof: ProofRow;
  data: Proofs;
  asking: React.ReactNode;
  onShow: (number: number) => void;
  move: Move;
}) {
  const figures = proof.figures;
  const [viewName, setViewName] = useState<string | null>(null);
  const view =
    figures.views.find((one) => one.name === viewName) ??
    figures.views.find((one) => one.name === figures.worst_view)!;
  const [by, setBy] = useState<"materials" | "parts" | "motion" | "there" | "proofs">("materials");
  const [frame, setFrame] = useState(0);
  const [there, setThere] = useState<Held | null>(null);
  const page = useRef<HTMLDivElement>(null);
  const hold = (held: Held | null) => {
    setThere(held);
    page.current?.scrollTo({ top: 0 });
  };
  const moment =
    by === "motion" ? data.sequence?.frames[Math.min(frame, data.sequence.frames.length - 1)] : undefined;
  const held = proof.pictures[view.name] ?? {};
  const start = useStartJob(move.id);
  /** An area of what is shown, which may be an area of its view itself. */
  const prove = (area: [number, number, number, number]) => {
    const [left, top, right, bottom] = view.window as [number, number, number, number];
    const [across, down] = [right - left, bottom - top];
    const width = Math.max(view.width, LEAST_WIDTH);
    start.mutate({
      kind: "prove",
      settings: {
        // A view of which an area is shown has its own name first.
        view: data.views.find((one) => one === view.name || view.name.startsWith(`${one}, `)) ?? view.name,
        area: area.map((share, k) => Math.min(k % 2 ? top + share * down : left + share * across, 1)),
        width,
        height: Math.round((width * view.height * across) / (view.width * down)),
        ...(figures.asked_within != null
          ? { within: figures.asked_within }
          : { samples: Math.max(1, Math.round(view.samples)) }),
        stand_in: figures.stand_in,
      },
    });
  };
  const rows =
    by === "materials" ? view.materials : view.parts.filter((part) => part.cover > 0.0005).slice(0, 20);
  return (
    <div ref={page} className="flex h-full flex-col overflow-y-auto">
      {there && (
        <p className="bg-booth px-3.5 pt-3">
          <button className="plate cursor-pointer font-semibold" onClick={() => setThere(null)}>
            Back to the proof
          </button>
        </p>
      )}
      <Booth
        pictures={there ? picturesOf(there) : (moment?.pictures ?? held)}
        labels={
          there
            ? {
                reference: `over there, ${there.seen.name}`,
                arrival: there.explanation
                  ? there.explanation.ways.map((way) => way.words).join(", and ")
                  : "as delivered",
              }
            : moment
              ? {
                  reference: `${data.sequence!.clip_name} at ${moment.time_s.toFixed(2)} s`,
                  arrival: `frame ${moment.number}`,
                }
              : {
                  reference: `${Math.round(view.samples)} spp · ${view.seconds[0]?.toFixed(0)} s`,
                  arrival: `${move.destination.replace(/^./, (c) => c.toUpperCase())} · ${Math.round(view.samples)} spp · ${view.seconds[1]?.toFixed(0)} s`,
                }
        }
        aspect={view.width / view.height}
        names={there ? { reference: "over there", arrival: "read like that" } : undefined}
        onPart={moment || there || isRunning(move.job) ? undefined : prove}
        beside={
          <Figure proof={proof} view={view} onView={setViewName}>
            {asking}
            {held.reference_exr && <Saving proof={proof.id} view={view.name} />}
            <Trend proofs={data.proofs} view={view.name} shown={proof.id} />
          </Figure>
        }
        reading={
          held.reference_exr && !moment && !there
            ? { width: view.width, height: view.height, ask: (x, y) => proofPixel(proof.id, view.name, x, y) }
            : undefined
        }
      />
      <div className="grid flex-1 grid-cols-[minmax(0,1fr)_380px]">
        <div className="border-r border-base-300">
          <Worth
            move={move.id}
            proof={proof.id}
            figures={figures}
            current={proof.current}
            job={move.job ?? null}
            right={data.how_right}
          />
          <Causes
            move={move.id}
            proof={proof.id}
            figures={figures}
            current={proof.current}
            job={move.job ?? null}
            accepted={new Set(data.accepted)}
          />
        </div>
        <section aria-label="Where it differs" className="p-[18px]">
          <Papers
            label="Where it differs"
            papers={[
              { key: "materials", words: "Materials" },
              { key: "parts", words: "Parts" },
              ...(data.clips.length ? [{ key: "motion", words: "Motion" } as const] : []),
              { key: "there", words: "Over there" },
              { key: "proofs", words: "Proofs" },
            ]}
            shown={by}
            onShow={setBy}
            className="gap-4 text-[15px]"
          >
            {by === "motion" && (
              <Motion
                move={move.id}
                data={data}
                job={move.job ?? null}
                view={data.views.find((one) => view.name.startsWith(one)) ?? view.name}
                at={frame}
                onAt={setFrame}
              />
            )}
            {by === "there" && <OverThere move={move} data={data} view={view.name} onHold={hold} />}
            {by === "proofs" && <Earlier proofs={data.proofs} shown={proof} onShow={onShow} move={move.id} />}
            {(by === "materials" || by === "parts") && <Shares rows={rows} noise={view.noise} />}
          </Papers>
        </section>
      </div>
    </div>
  );
}

function Earlier({
  proofs,
  shown,
  onShow,
  move,
}: {
  proofs: ProofRow[];
  shown: ProofRow;
  onShow: (number: number) => void;
  move: number;
}) {
  const naming = useNameProof(move);
  return (
    <ul className="mt-2">
      {proofs.map((one) => {
        const told = one.figures;
        return (
          <li
            key={one.id}
            className={`flex h-8 items-center gap-2 border-b border-base-300 ${one.id === shown.id ? "font-semibold" : ""}`}
          >
            <button
              className="w-7 text-left underline"
              onClick={() => onShow(one.number)}
              aria-current={one.id === shown.id}
            >
              {one.number}
            </button>
            <input
              className="min-w-0 flex-1 bg-transparent placeholder:text-soft"
              aria-label={`Name of proof ${one.number}`}
              defaultValue={one.name}
              placeholder={told.views.map((v) => v.name).join(", ")}
              onBlur={(event) =>
                event.target.value !== one.name && naming.mutate({ proof: one.id, name: event.target.value })
              }
            />
            <span className="text-[12px] whitespace-nowrap text-soft">{when(one.created)}</span>
            <span className="w-14 text-right font-mono whitespace-nowrap">
              ΔE {(told.judged ?? told.mean).toFixed(1)}
            </span>
          </li>
        );
      })}
    </ul>
  );
}
