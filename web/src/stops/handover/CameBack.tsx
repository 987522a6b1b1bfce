import { useState } from "react";

import {
  type CameBack as CameBackData,
  type CameThing,
  useCameBack,
  useGiveBack,
  useTakeImagesBack,
} from "../../api/changes";
import type { Decision } from "../../api/client";
import { isRunning, useAfter, useDecide } from "../../api/hooks";
import { when } from "../../ui/format";
import { Notice, Waiting } from "../../ui/Notice";
import { Refusal } from "../../ui/Refusal";
import { useShownMove } from "../MoveShell";

/** A package that was changed at its destination: given here, told difference by difference, taken as decisions on the source's terms. */
export function CameBack({ delivered }: { delivered: boolean }) {
  const move = useShownMove();
  const came = useCameBack(move.id);
  const give = useGiveBack(move.id);
  useAfter(move.job, ["way back"], came.refetch);
  const job = move.job?.kind === "way back" && isRunning(move.job) ? move.job : null;
  if (came.isPending) return <Waiting text="Looking at what came back…" />;
  if (came.error) return <Notice error={came.error} onRetry={() => void came.refetch()} />;
  return (
    <div className="flex min-h-0 flex-1 flex-col px-[18px] pb-3">
      <p className="pb-2 text-soft">
        A package that was changed at its destination, or some of its files: what is different is told, and
        becomes decisions where the steps can be gone back.
      </p>
      <label className="press inline-flex w-fit cursor-pointer items-center">
        {job ? `${Math.round(job.fraction * 100)} %, ${job.message}` : "Give what came back…"}
        <input
          type="file"
          multiple
          className="sr-only"
          disabled={!delivered || job !== null || give.isPending}
          aria-label="A package that came back"
          onChange={(event) => {
            const files = [...(event.target.files ?? [])];
            if (files.length) give.mutate(files);
            event.target.value = "";
          }}
        />
      </label>
      {!delivered && <p className="pt-2 text-soft">Nothing was delivered yet.</p>}
      {give.error && <Notice error={give.error} />}
      <Refusal job={move.job} kind="way back" />
      {came.data && !job && <Told key={came.data.created} move={move.id} data={came.data} />}
    </div>
  );
}

function Told({ move, data }: { move: number; data: CameBackData }) {
  const decide = useDecide(move);
  const [left, setLeft] = useState<ReadonlySet<number>>(new Set());
  const images = useTakeImagesBack(move);
  const able = data.came.flatMap((one, at) => (canBeTaken(one) ? [at] : []));
  const taken = able.filter((at) => !left.has(at));
  const decisions = taken.flatMap((at) => data.came[at]!.decisions) as Decision[];
  const painted = taken.filter((at) => data.came[at]!.image);
  const busy = decide.isPending || images.isPending;
  const takeOver = async () => {
    if (decisions.length) await decide.mutateAsync(decisions);
    if (painted.length) await images.mutateAsync(painted);
  };
  if (data.came.length === 0)
    return (
      <p role="status" className="pt-3">
        What came back {when(data.created)} is what number {data.number} was.
      </p>
    );
  return (
    <section aria-label="What came back" className="flex min-h-0 flex-1 flex-col pt-3">
      <p className="text-soft">
        Since number {data.number}, {when(data.created)}: {data.came.length} different, {able.length} can be
        taken over.
      </p>
      <ul className="min-h-0 flex-1 overflow-y-auto">
        {data.came.map((one, at) => (
          <Row
            key={`${one.kind} ${one.item} ${one.name} ${one.what}`}
            one={one}
            chosen={!left.has(at)}
            onChoose={(is) =>
              setLeft(new Set(is ? [...left].filter((other) => other !== at) : [...left, at]))
            }
          />
        ))}
      </ul>
      {(decide.error ?? images.error) && <Notice error={decide.error ?? images.error} />}
      {painted.length > 0 && data.current && (
        <p className="pt-2 text-[12px] text-soft">
          {painted.length === 1 ? "An image joins" : `${painted.length} images join`} the delivery as its next
          revision.
        </p>
      )}
      {data.current ? (
        <button
          className="press press-main mt-2 w-fit"
          disabled={taken.length === 0 || busy}
          onClick={() => void takeOver().catch(() => undefined)}
        >
          Take {taken.length} over
        </button>
      ) : (
        <p className="pt-2 text-soft">
          Something was decided since: what is told here is against number {data.number} as it was.
        </p>
      )}
    </section>
  );
}

const canBeTaken = (one: CameThing) => one.decisions.length > 0 || !!one.image;

function Row({
  one,
  chosen,
  onChoose,
}: {
  one: CameThing;
  chosen: boolean;
  onChoose: (chosen: boolean) => void;
}) {
  const able = canBeTaken(one);
  return (
    <li className="grid grid-cols-[20px_1fr] items-start border-b border-base-300 py-1.5">
      {able ? (
        <input
          type="checkbox"
          className="mt-1 h-[13px] w-[13px]"
          aria-label={`Take over ${one.name}, ${one.what}`}
          checked={chosen}
          onChange={(event) => onChoose(event.target.checked)}
        />
      ) : (
        <span aria-hidden>–</span>
      )}
      <div className="min-w-0">
        <p>
          <b>{one.name}</b>, {one.what} <span className="text-[12px] text-soft">{one.kind}</span>
        </p>
        <p className="font-mono text-[12px]">
          <span className="text-soft">{one.before}</span> → {one.after}
        </p>
        {one.why && <p className="text-[12px] text-soft">{one.why}</p>}
      </div>
    </li>
  );
}
