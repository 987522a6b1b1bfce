import type { Job, Move } from "../api/client";
import { isRunning, useCancelJob } from "../api/hooks";
import { JobProgress } from "./Progress";

/** A press that starts a job of some kinds, or how far it is, or why it did not do. */
export function StartJob({
  move,
  kinds,
  words,
  onStart,
  main = false,
  disabled = false,
}: {
  move: Move;
  kinds: readonly Job["kind"][];
  words: string;
  onStart: () => void;
  main?: boolean;
  disabled?: boolean;
}) {
  const cancel = useCancelJob(move.id);
  const job = move.job && kinds.includes(move.job.kind) ? move.job : null;
  if (job && isRunning(job)) return <JobProgress job={job} onCancel={() => cancel.mutate(job.id)} />;
  const refusal = job?.state === "refused" ? job.refusal : null;
  return (
    <>
      <button className={main ? "press press-main" : "press"} disabled={disabled} onClick={onStart}>
        {words}
      </button>
      {refusal && (
        <div role="alert" className="mt-3 border-l-[3px] border-primary pl-2">
          <b>{refusal.what}</b>
          <p className="font-mono text-[12px] text-soft">{refusal.where}</p>
          <p>{refusal.remedy}</p>
        </div>
      )}
    </>
  );
}
