import type { Finding, Job } from "../../api/client";
import { isRunning, useAfter, useAgain, useCancelJob, useStartJob } from "../../api/hooks";
import { Notice } from "../../ui/Notice";

const WHY = { made: "not there before mending", stayed: "still there after its mend" } as const;

/** The survey taken again on what is mended, so that a wrong mend shows. */
export function Again({
  move,
  job,
  mended,
  onShow,
}: {
  move: number;
  job: Job | null;
  mended: number;
  onShow: (finding: Finding) => void;
}) {
  const asked = useAgain(move);
  const start = useStartJob(move);
  const cancel = useCancelJob(move);
  useAfter(job, ["again"], asked.refetch);
  const again = asked.data?.known ? asked.data.remnants : null;
  const looking = job?.kind === "again" && isRunning(job);
  if (!mended && !again?.length) return null;
  return (
    <section aria-label="After mending" className="shrink-0 border-t border-base-content">
      <div className="flex items-center gap-2 px-4 py-2">
        <p role="status" className="min-w-0 flex-1">
          {looking
            ? `Looking again: ${job.message || "starting"}…`
            : !again
              ? "Mends were taken. Nobody has looked at the result yet."
              : again.length === 0
                ? "Looked at again: the mends cured what they were for, and made nothing new."
                : `Looked at again: ${again.length} thing${again.length > 1 ? "s" : ""} the mends left or made.`}
        </p>
        {looking ? (
          <button className="press shrink-0" onClick={() => cancel.mutate(job.id)}>
            Stop
          </button>
        ) : (
          !again && (
            <button
              className="press shrink-0"
              disabled={start.isPending || isRunning(job)}
              onClick={() => start.mutate({ kind: "again" })}
            >
              Look again
            </button>
          )
        )}
      </div>
      {start.error && <Notice error={start.error} />}
      {again !== null && again.length > 0 && (
        <ul className="max-h-44 overflow-y-auto border-t border-base-300">
          {again.map((finding) => (
            <li
              key={finding.id}
              className="border-b border-base-300 border-l-[3px] border-l-primary px-4 py-2"
            >
              <button className="w-full text-left" onClick={() => onShow(finding)}>
                <span className="block font-semibold">
                  {finding.title} <span className="font-normal text-soft">{WHY[finding.why]}</span>
                </span>
                <span className="block font-mono text-[12px] break-words text-soft">{finding.where}</span>
              </button>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
