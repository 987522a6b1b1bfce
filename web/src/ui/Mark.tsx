export type MarkName = "exact" | "close" | "lost" | "blocked" | "unaccounted";

/** The carry mark: filled, half, empty or hatched. The shape says it; the word is beside it or in its title. */
export function Mark({ mark, bar = false }: { mark: MarkName; bar?: boolean }) {
  const size = bar ? "h-[5px] min-w-0 flex-1" : "h-3 w-3 shrink-0";
  return (
    <span
      role="img"
      aria-label={mark}
      title={mark}
      className={`relative inline-block border border-base-content ${size} ${mark === "exact" ? "bg-base-content" : ""} ${mark === "blocked" || mark === "unaccounted" ? "hatch border-primary" : ""}`}
    >
      {mark === "close" && <span className="absolute inset-y-0 left-0 w-1/2 bg-base-content" />}
    </span>
  );
}
