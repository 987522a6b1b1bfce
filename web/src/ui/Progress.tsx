import type { Job } from "../api/client";

/** A time in words. */
export const span = (seconds: number) =>
  seconds < 90 ? `${Math.max(1, Math.round(seconds))} s` : `${Math.round(seconds / 60)} min`;

export const timeLeft = (seconds: number | null) => (seconds === null ? "" : `${span(seconds)} left`);

const WORDS: Record<string, string> = {
  receive: "Reading",
  draw: "Drawing one side",
  prove: "Proof",
  causes: "Causes",
  worth: "Worth doing",
  bake: "Lightmaps",
  mix: "Lamps",
  deliver: "Delivery",
  account: "Books",
  again: "Second look",
  fit: "Nearest looks",
  gauge: "Gauge",
  "read gauge": "Gauge",
  hold: "Own picture",
  "match light": "Light like in your picture",
  "match material": "A material like in your picture",
  explain: "Over there",
  "way back": "What came back",
  budget: "Budget",
  carry: "Delivery",
  sequence: "Clip",
};
export const jobTitle = (job: Job) => WORDS[job.kind] ?? job.kind;

/** A running job with its bar, time left and a way to stop it. */
export function JobProgress({ job, onCancel }: { job: Job; onCancel: () => void }) {
  const percent = Math.round(job.fraction * 100);
  return (
    <div className="flex items-center gap-3" role="status">
      <span className="text-soft">{jobTitle(job)}</span>
      <span
        className="block h-1 w-24 bg-base-300"
        role="progressbar"
        aria-label={jobTitle(job)}
        aria-valuenow={percent}
        aria-valuemin={0}
        aria-valuemax={100}
      >
        <span className="block h-1 bg-primary" style={{ width: `${percent}%` }} />
      </span>
      <span className="max-w-72 truncate font-mono text-[12px] text-soft" title={job.message}>
        {job.state === "waiting"
          ? "waiting"
          : [timeLeft(job.seconds_left), job.message || `${percent} %`].filter(Boolean).join(" · ")}
      </span>
      <button className="press h-[22px] px-2" onClick={onCancel}>
        Cancel
      </button>
    </div>
  );
}
