import { Refused } from "../api/client";

/** A refusal or fault, set like a slip of paper: what, where, and what to do next. */
export function Notice({ error, onRetry }: { error: unknown; onRetry?: () => void }) {
  const { what, where, remedy } =
    error instanceof Refused
      ? error
      : {
          what: "Something went wrong.",
          where: error instanceof Error ? error.message : "",
          remedy: "Reload the page.",
        };
  return (
    <div
      role="alert"
      className="m-4 max-w-xl border border-l-[3px] border-base-300 border-l-primary bg-base-100 p-4"
    >
      <p className="text-[15px] font-semibold">{what}</p>
      {where && <p className="mt-1 font-mono text-[12px] break-all text-soft">{where}</p>}
      <p className="mt-1">{remedy}</p>
      {onRetry && (
        <button className="press mt-3" onClick={onRetry}>
          Try again
        </button>
      )}
    </div>
  );
}

export function Waiting({ text }: { text: string }) {
  return (
    <p role="status" className="p-4 text-soft">
      {text}
    </p>
  );
}
