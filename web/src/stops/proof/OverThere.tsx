import { useState } from "react";
import { Link } from "react-router";

import { type Explanation, type Move, pictures, type Proofs, type Seen } from "../../api/client";
import { isRunning, useAfter, useCancelJob } from "../../api/hooks";
import { useAddSeen, useRemoveSeen, useSeen } from "../../api/seen";
import { DropPicture } from "../../ui/DropPicture";
import { when } from "../../ui/format";
import { Notice } from "../../ui/Notice";
import { Refusal } from "../../ui/Refusal";

/** What is held side by side in the booth: a picture from over there, and how one explanation of it looks. */
export interface Held {
  seen: Seen;
  explanation: Explanation | null;
}

/** So many explanations are told; what explains less is kept and not shown. */
const TOLD = 5;
const percent = (share: number) => `${Math.round(share * 100)} %`;
const waysOf = (one: Explanation) => one.ways.map((way) => way.words).join(", and ");

/** What went wrong over there: a picture of the import in the program at the destination, and what explains it. */
export function OverThere({
  move,
  data,
  view: usual,
  onHold,
}: {
  move: Move;
  data: Proofs;
  view: string;
  /** Hears what is to be held side by side. */
  onHold?: (held: Held | null) => void;
}) {
  const seen = useSeen(move.id);
  const add = useAddSeen(move.id);
  const remove = useRemoveSeen(move.id);
  const cancel = useCancelJob(move.id);
  const [view, setView] = useState("");
  const chosen = view || data.views.find((one) => usual.startsWith(one)) || data.views[0] || "";
  const running = move.job?.kind === "explain" && isRunning(move.job) ? move.job : null;
  useAfter(move.job, ["explain"], seen.refetch);
  const give = (file: File | undefined) => file && add.mutate({ file, view: chosen });
  return (
    <section aria-label="Over there" className="mt-3">
      <p className="text-soft">
        Give one picture of the import in your program, a screen capture will do. It is held against what was
        delivered, read otherwise in every way that is known.
      </p>
      <label className="mt-2 block">
        <span className="block text-[12px] text-soft">Taken from about</span>
        <select className="field w-full" value={chosen} onChange={(event) => setView(event.target.value)}>
          {data.views.map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
      </label>
      <p className="mt-1 text-[12px] text-soft">
        Another place: stand there on Inventory, keep it for proofs, and choose it here.
      </p>
      <div className="mt-2">
        <DropPicture
          words={add.isPending ? "Taking it in…" : "Drop the picture here, or choose it"}
          testId="seen"
          onFile={give}
        />
      </div>
      {(add.error ?? seen.error ?? remove.error) && (
        <Notice error={add.error ?? seen.error ?? remove.error} />
      )}
      {running && (
        <p role="status" className="mt-2 flex items-center gap-2">
          <span className="flex-1 text-soft">Trying: {running.message || "the first"}…</span>
          <button className="press" onClick={() => cancel.mutate(running.id)}>
            Stop
          </button>
        </p>
      )}
      <Refusal job={move.job} kind="explain" />
      <ul>
        {seen.data
          ?.filter((one) => one.ready)
          .map((one) => (
            <li key={one.id} className="mt-4 border-t border-base-300 pt-2">
              <div className="flex items-baseline gap-2">
                <b className="min-w-0 flex-1 truncate">{one.name}</b>
                <span className="text-[12px] text-soft">{when(one.created)}</span>
                <button className="text-[12px] underline" onClick={() => remove.mutate(one.id)}>
                  remove
                </button>
              </div>
              <Verdict one={one} />
              <ol className="mt-1">
                {one.explanations.slice(0, TOLD).map((explanation, at) => (
                  <Told
                    key={at}
                    one={one}
                    explanation={explanation}
                    move={move}
                    first={at === 0}
                    onHold={onHold && (() => onHold({ seen: one, explanation }))}
                  />
                ))}
              </ol>
              {onHold && (
                <button
                  className="mt-1 text-[12px] underline"
                  onClick={() => onHold({ seen: one, explanation: null })}
                >
                  hold it against what was delivered
                </button>
              )}
            </li>
          ))}
      </ul>
    </section>
  );
}

/** What may be said of a picture as a whole, and how sure it is. */
function Verdict({ one }: { one: Seen }) {
  const first = one.explanations[0];
  return (
    <>
      {!one.current && <p className="text-[12px] text-soft">The delivery has changed since.</p>}
      {!one.found && (
        <p className="border-l-[3px] border-primary pl-2">
          The scene was not found in the picture: it was taken as it lies. Choose the view that it was taken
          from.
        </p>
      )}
      <p>
        {one.fine ? (
          <>Nothing went wrong that this picture shows.</>
        ) : !first ? (
          <>It looks otherwise by ΔE {one.delta_e?.toFixed(1)}, and nothing that is known explains it.</>
        ) : (
          <>
            {one.sure ? "" : "Not sure. Perhaps "}
            <b>{waysOf(first)}</b>: {percent(first.share)} of the difference.
          </>
        )}
      </p>
    </>
  );
}

function Told({
  one,
  explanation,
  move,
  first,
  onHold,
}: {
  one: Seen;
  explanation: Explanation;
  move: Move;
  first: boolean;
  onHold?: () => void;
}) {
  return (
    <li className="border-b border-base-300 py-2">
      <div className="flex items-baseline gap-2">
        <span className="flex-1">{waysOf(explanation)}</span>
        <span className="font-mono">{percent(explanation.share)}</span>
      </div>
      <span aria-hidden className="mt-1 block h-1.5 bg-base-300">
        <span
          className="block h-full bg-base-content"
          style={{ width: `${Math.max(explanation.share, 0) * 100}%` }}
        />
      </span>
      {first && (
        <div className="mt-2 grid grid-cols-2 gap-1">
          {(
            [
              [one.seen, "over there"],
              [explanation.picture, "read like that"],
            ] as const
          ).map(([blob, words]) => (
            <figure key={words} className="relative">
              <img src={pictures.blob(blob)} alt={words} className="w-full bg-booth" />
              <figcaption className="plate absolute bottom-0 left-0">{words}</figcaption>
            </figure>
          ))}
        </div>
      )}
      {explanation.ways.map((way) => (
        <p key={way.key} className="mt-1 text-[12px] text-soft">
          {way.cure}{" "}
          {way.line && (
            <Link className="text-base-content underline" to={`/sheets/${move.destination}#${way.line}`}>
              its line of the sheet
            </Link>
          )}
        </p>
      ))}
      {onHold && (
        <button className="mt-1 text-[12px] underline" onClick={onHold}>
          hold both side by side
        </button>
      )}
    </li>
  );
}
