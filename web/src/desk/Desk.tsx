import { type DragEvent, useEffect, useState } from "react";
import { Link, useNavigate } from "react-router";

import { api, type DroppedFile, filesOfDrop, got, type Move, pictures } from "../api/client";
import { isRunning, useMoves } from "../api/hooks";
import { DeskHeader } from "../ui/DeskHeader";
import { useComing } from "../people/session";
import { Notice, Waiting } from "../ui/Notice";
import { Mark, type MarkName } from "../ui/Mark";
import { timeLeft } from "../ui/Progress";
import { DestinationTag, SourceTag, Way } from "../ui/Tags";
import { CarryBar } from "./CarryBar";
import { NewMove } from "./NewMove";
import { BelowDesk, useBringBack, useDeskAct, useTakeOff } from "./TakenOff";

export function Desk() {
  const coming = useComing();
  const moves = useMoves(coming.length > 0);
  const look = moves.refetch;
  // What was made last came after the last look.
  useEffect(() => void look(), [coming.length, look]);
  const [files, setFiles] = useState<DroppedFile[] | null>(null);
  const [over, setOver] = useState(false);
  const [gone, setGone] = useState<Move | null>(null);
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
  const held = moves.data?.filter((move) => chosen.has(move.id)) ?? [];
  const navigate = useNavigate();
  const off = useTakeOff();
  const back = useBringBack();
  function takeOff(move: Move) {
    off.mutate(move.id, { onSuccess: () => setGone(move) });
  }

  async function onDrop(event: DragEvent) {
    event.preventDefault();
    setOver(false);
    setFiles(await filesOfDrop(event.dataTransfer));
  }

  return (
    <div
      className="flex min-h-screen flex-col"
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={(event) => event.currentTarget === event.target && setOver(false)}
      onDrop={(event) => void onDrop(event)}
    >
      <DeskHeader />
      <main className="mx-auto w-full max-w-[1100px] flex-1 px-6 py-8">
        <div className="flex items-baseline justify-between">
          <h1>Moves</h1>
          <span className="text-soft">one source, one destination, and a proof</span>
        </div>
        <NewMove
          files={files}
          over={over}
          onFiles={setFiles}
          onMade={(move) => void navigate(`/moves/${move.id}/inventory`)}
        />
        <StillComing />
        {moves.isPending && <Waiting text="Looking at the desk…" />}
        {(off.error ?? back.error) && <Notice error={off.error ?? back.error} />}
        {moves.error && <Notice error={moves.error} onRetry={() => void moves.refetch()} />}
        {moves.data?.length === 0 && coming.length === 0 && (
          <p className="border-t border-base-300 py-6 text-soft">
            The desk is empty. Drop a scene to begin its first move.
          </p>
        )}
        <ul className="border-t border-base-300">
          {moves.data?.map((move) => (
            <MoveRow
              key={move.id}
              move={move}
              chosen={chosen.has(move.id)}
              onChoose={(is) => setChosen(is ? withIt(chosen, move.id) : without(chosen, move.id))}
              onTakeOff={() => takeOff(move)}
            />
          ))}
        </ul>
        {held.length > 0 && (
          <CarryBar
            chosen={held}
            all={moves.data ?? []}
            onAll={() => setChosen(new Set(moves.data?.map((move) => move.id)))}
            onNone={() => setChosen(new Set())}
          />
        )}
        <BelowDesk />
      </main>
      {gone && (
        <p
          role="status"
          className="fixed bottom-6 left-1/2 flex -translate-x-1/2 items-center gap-4 border border-base-content bg-base-100 px-4 py-2"
        >
          “{gone.name}” was taken off the desk. It is kept for 30 days.
          <button
            className="press h-[22px] px-2"
            onClick={() => {
              back.mutate(gone.id);
              setGone(null);
            }}
          >
            Bring back
          </button>
          <button className="press h-[22px] px-2" onClick={() => setGone(null)} aria-label="Close">
            Close
          </button>
        </p>
      )}
    </div>
  );
}

/** What is being made while the desk is already there. */
function StillComing() {
  const coming = useComing();
  return (
    <div role="status">
      {coming.length > 0 && (
        <ul className="mb-4 border-l-[3px] border-base-300 pl-3 text-soft">
          {coming.map((words) => (
            <li key={words}>{words}</li>
          ))}
        </ul>
      )}
    </div>
  );
}

const withIt = (held: ReadonlySet<number>, id: number) => new Set([...held, id]);
const without = (held: ReadonlySet<number>, id: number) => new Set([...held].filter((one) => one !== id));

function MoveRow({
  move,
  chosen,
  onChoose,
  onTakeOff,
}: {
  move: Move;
  chosen: boolean;
  onChoose: (chosen: boolean) => void;
  onTakeOff: () => void;
}) {
  const again = useDeskAct(() =>
    got(
      api.POST("/api/moves/{move_id}/jobs", {
        params: { path: { move_id: move.id } },
        body: { kind: "receive" } as never,
      }),
    ),
  );
  const stops = move.stops;
  const words =
    stops &&
    ([
      ["Inventory", stops.inventory],
      ["Fit", stops.fit],
      ["Light", stops.light],
      ["Proof", stops.proof],
      ["Handover", stops.handover],
    ] as const);
  const done = stops
    ? [
        stops.open_findings === 0,
        stops.fit !== "not looked at",
        true,
        move.mean !== null,
        stops.handover !== "none yet",
      ]
    : [];
  return (
    <li className="group flex items-center gap-5 border-b border-base-300 py-3">
      <input
        type="checkbox"
        aria-label={`Choose ${move.name}`}
        checked={chosen}
        onChange={(event) => onChoose(event.target.checked)}
      />
      <Link
        to={`/moves/${move.id}`}
        tabIndex={-1}
        aria-hidden
        className="block h-[72px] w-32 shrink-0 overflow-hidden bg-booth"
      >
        {move.picture && (
          <img src={pictures.blob(move.picture)} alt="" className="h-full w-full object-cover" />
        )}
      </Link>
      <div className="w-64 min-w-0">
        <Link to={`/moves/${move.id}`} className="block truncate text-[15px] font-semibold hover:underline">
          {move.name}
        </Link>
        <div className="mt-1.5 flex items-center gap-1.5">
          <SourceTag>{move.source.replace(/^./, (c) => c.toUpperCase())}</SourceTag>
          <Way />
          <DestinationTag>{move.destination.replace(/^./, (c) => c.toUpperCase())}</DestinationTag>
        </div>
      </div>
      <div className="min-w-0 flex-1">
        {words && (
          <ol className="flex" aria-label="Route">
            {words.map(([name, word], at) => (
              <li key={name} className="relative flex-1 pt-4">
                <span
                  className={`absolute top-[5px] left-0 h-px w-full ${done[at] ? "bg-base-content" : "bg-base-300"}`}
                />
                <span
                  className={`absolute top-0 left-0 h-[11px] w-[11px] rounded-full border ${done[at] ? "border-base-content bg-base-content" : "border-base-300 bg-base-200"}`}
                />
                <span className="block text-[12px] text-soft">{name}</span>
                <span className="tight block truncate pr-2 text-[12px]">{word}</span>
              </li>
            ))}
          </ol>
        )}
        {!words && isRunning(move.job) && (
          <p className="text-soft">
            Reading, {Math.round((move.job?.fraction ?? 0) * 100)} %{" "}
            {timeLeft(move.job?.seconds_left ?? null)}
          </p>
        )}
        {words && <Carried move={move} />}
        {move.refusal && (
          <p>
            <span className="font-semibold text-primary">Refused.</span> {move.refusal.what}{" "}
            {move.refusal.remedy}{" "}
            {!isRunning(move.job) && (
              <button
                className="press h-[22px] px-2"
                onClick={() => again.mutate(undefined)}
                disabled={again.isPending}
                aria-label={`Read ${move.name} again`}
              >
                Try again
              </button>
            )}
          </p>
        )}
      </div>
      <div className="w-36 text-right">
        {move.mean !== null && (
          <>
            <span className="tight block text-[22px] leading-none font-bold">ΔE {move.mean.toFixed(1)}</span>
            <span className="block text-[12px] text-soft">{move.verdict}</span>
            {move.worst && (
              <span className="block truncate text-[12px] text-soft" title={`worst: ${move.worst}`}>
                worst: {move.worst}
              </span>
            )}
          </>
        )}
      </div>
      <button
        className={`press opacity-0 group-hover:opacity-100 focus-visible:opacity-100 ${move.may === "own" ? "" : "invisible"}`}
        onClick={onTakeOff}
        aria-label={`Take ${move.name} off the desk`}
      >
        Take off
      </button>
    </li>
  );
}

/** How a move that is carried from the desk stands: what is done, what was refused, or how what was delivered arrived. */
function Carried({ move }: { move: Move }) {
  const job = move.job;
  if (job?.kind === "carry" && isRunning(job))
    return (
      <p role="status" className="mt-1 text-[12px] text-soft">
        {job.state === "waiting"
          ? "Waits for its turn"
          : `${Math.round(job.fraction * 100)} %, ${job.message}`}{" "}
        {!job.message.includes("left") && timeLeft(job.seconds_left)}
      </p>
    );
  if (job?.kind === "carry" && job.refusal)
    return (
      <p className="mt-1 text-[12px]">
        <span className="font-semibold text-primary">Not delivered.</span> {job.refusal.what}
      </p>
    );
  if (!move.marks) return null;
  return (
    <p className="mt-1 flex gap-3 text-[12px] text-soft">
      {MARKS.filter((mark) => move.marks![mark]).map((mark) => (
        <span key={mark} className="flex items-center gap-1">
          <Mark mark={mark} /> {move.marks![mark]} {mark}
        </span>
      ))}
    </p>
  );
}

const MARKS: readonly MarkName[] = ["exact", "close", "lost", "blocked", "unaccounted"];
