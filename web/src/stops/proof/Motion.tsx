import { useState } from "react";

import type { Job, Proofs } from "../../api/client";
import { isRunning, useCancelJob, useStartJob } from "../../api/hooks";
import { Notice } from "../../ui/Notice";
import { OverTime } from "./OverTime";

const RATES = [2, 6, 12, 24, 30] as const;
const SIZES = [320, 480, 640] as const;

export type Sequence = NonNullable<Proofs["sequence"]>;

interface Props {
  move: number;
  data: Proofs;
  job: Job | null;
  view: string;
  at: number;
  onAt: (frame: number) => void;
}

/** A clip proved frame by frame: asked for here, and looked through moment by moment. */
export function Motion({ move, data, job, view, at, onAt }: Props) {
  const start = useStartJob(move);
  const cancel = useCancelJob(move);
  const [clip, setClip] = useState(data.sequence?.clip ?? data.clips[0]?.id ?? "");
  const [rate, setRate] = useState(String(data.sequence?.rate ?? 12));
  const [size, setSize] = useState("320");
  const running = job?.kind === "sequence" && isRunning(job) ? job : null;
  const chosen = data.clips.find((one) => one.id === clip) ?? data.clips[0];
  if (!chosen) return <p className="mt-3 text-soft">Nothing in this move is in motion.</p>;
  const width = Number(size);
  const sequence = data.sequence;
  return (
    <div className="mt-3">
      <div className="grid grid-cols-2 gap-2">
        <label className="col-span-2">
          <span className="block text-[12px] text-soft">Motion</span>
          <select
            className="field w-full"
            value={chosen.id}
            onChange={(event) => setClip(event.target.value)}
          >
            {data.clips.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}, {one.seconds.toFixed(1)} s
              </option>
            ))}
          </select>
        </label>
        <label>
          <span className="block text-[12px] text-soft">Frames a second</span>
          <select className="field w-full" value={rate} onChange={(event) => setRate(event.target.value)}>
            {RATES.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        </label>
        <label>
          <span className="block text-[12px] text-soft">Size</span>
          <select className="field w-full" value={size} onChange={(event) => setSize(event.target.value)}>
            {SIZES.map((one) => (
              <option key={one} value={one}>
                {one} × {(one * 9) / 16}
              </option>
            ))}
          </select>
        </label>
      </div>
      <div className="mt-2 flex items-center gap-2">
        {running ? (
          <button className="press" onClick={() => cancel.mutate(running.id)}>
            Stop
          </button>
        ) : (
          <button
            className="press"
            disabled={start.isPending || isRunning(job)}
            onClick={() =>
              start.mutate({
                kind: "sequence",
                settings: {
                  clip: chosen.id,
                  rate: Number(rate),
                  view,
                  width,
                  height: (width * 9) / 16,
                  ...(data.lit ? {} : { stand_in: true }),
                },
              })
            }
          >
            Prove frame by frame
          </button>
        )}
        <span role="status" className="text-[12px] text-soft">
          {running ? running.message : "Frames that are done stay when it is stopped."}
        </span>
      </div>
      {start.error && <Notice error={start.error} />}
      {sequence && <OverTime sequence={sequence} limits={data.limits} at={at} onAt={onAt} />}
      {sequence && !running && (
        <p className="mt-2 text-[12px] text-soft">
          {!sequence.current && (
            <span className="mb-1 block border-l-[3px] border-primary pl-2 text-base-content">
              The plan has changed since these frames.
            </span>
          )}
          <a className="underline" href={`/api/moves/${move}/sequence.zip`} download>
            Save {sequence.frames.length} frames as PNG
          </a>
        </p>
      )}
    </div>
  );
}
