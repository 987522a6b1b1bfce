import type { ViewFigures } from "./figures";

/** Parts or materials by what they have of the difference. */
export function Shares({ rows, noise }: { rows: ViewFigures["materials"]; noise: number }) {
  const told = (row: ViewFigures["materials"][number]) => row.value ?? row.mean;
  const most = Math.max(0.1, ...rows.map(told));
  return (
    <ul className="mt-2">
      {rows.map((row) => {
        const real = row.significant !== false;
        return (
          <li key={row.id} className="flex h-7 items-center gap-2 border-b border-base-300">
            <span className="min-w-0 flex-1 truncate">{row.name}</span>
            <span
              className="w-14 text-right font-mono text-[12px] whitespace-nowrap text-soft"
              title="share of the picture"
            >
              {row.cover >= 0.001 ? `${(row.cover * 100).toFixed(1)} %` : "< 0.1 %"}
            </span>
            <span
              className={`w-9 text-right font-mono ${real ? "" : "text-soft"}`}
              title={
                real
                  ? `${(row.low ?? 0).toFixed(2)} to ${(row.high ?? row.mean).toFixed(2)}, noise ${(row.noise ?? noise).toFixed(2)} taken off`
                  : "within the noise"
              }
            >
              {told(row).toFixed(1)}
            </span>
            <span className="h-1.5 w-14">
              <span
                className={`block h-1.5 ${real ? "bg-base-content" : "border border-base-content"}`}
                style={{ width: `${(told(row) / most) * 100}%` }}
              />
            </span>
          </li>
        );
      })}
    </ul>
  );
}
