import type { Handover } from "../../api/client";

/** What to do at the destination with this package, step by step. */
export function HowToImport({ handover }: { handover: Handover }) {
  if (!handover.steps.length)
    return (
      <p className="px-[18px] text-soft">
        Number {handover.number} was delivered before steps were kept; they are in its report.
      </p>
    );
  return (
    <ol aria-label="How to import" className="min-h-0 flex-1 overflow-y-auto px-[18px] pb-3">
      {handover.steps.map((step, at) => (
        <li key={step} className="grid grid-cols-[22px_1fr] border-b border-base-300 py-2">
          <span className="font-mono text-soft">{at + 1}</span>
          <span>{step}</span>
        </li>
      ))}
    </ol>
  );
}
