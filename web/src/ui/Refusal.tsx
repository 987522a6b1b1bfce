import type { Job } from "../api/client";

/** Why the last job of a kind did not do, beside what started it; nothing where it did. */
export function Refusal({ job, kind }: { job: Job | null | undefined; kind: Job["kind"] }) {
  const refusal = job?.kind === kind && job.state === "refused" ? job.refusal : null;
  return refusal ? (
    <p role="alert" className="mt-2 border-l-[3px] border-primary pl-2">
      <b>{refusal.what}</b> {refusal.remedy}
    </p>
  ) : null;
}
