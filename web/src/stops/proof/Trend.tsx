import type { ProofRow } from "../../api/client";

/** The mean ΔE of the proofs of one view over time, oldest first. */
export function Trend({ proofs, view, shown }: { proofs: ProofRow[]; view: string; shown: number }) {
  const points = [...proofs].reverse().flatMap((proof) => {
    const found = proof.figures.views.find((one) => one.name === view);
    return found ? [{ id: proof.id, number: proof.number, mean: found.mean }] : [];
  });
  if (points.length < 2) return null;
  const [width, height] = [200, 54];
  const most = Math.max(...points.map((one) => one.mean), 0.1);
  const at = (k: number) =>
    [
      4 + (k / (points.length - 1)) * (width - 8),
      height - 6 - (points[k]!.mean / most) * (height - 14),
    ] as const;
  return (
    <figure className="mt-4">
      <figcaption className="text-soft">
        {view}, over {points.length} proofs
      </figcaption>
      <svg
        viewBox={`0 0 ${width} ${height}`}
        className="mt-1 w-full max-w-[210px]"
        role="img"
        aria-label={points.map((one) => `proof ${one.number}: ΔE ${one.mean.toFixed(1)}`).join(", ")}
      >
        <polyline
          fill="none"
          stroke="currentColor"
          strokeWidth="1.2"
          points={points.map((_, k) => at(k).join(",")).join(" ")}
        />
        {points.map((one, k) => (
          <rect
            key={one.id}
            x={at(k)[0] - 3}
            y={at(k)[1] - 3}
            width="6"
            height="6"
            className={one.id === shown ? "fill-primary" : "fill-base-content"}
          >
            <title>{`proof ${one.number}: ΔE ${one.mean.toFixed(1)}`}</title>
          </rect>
        ))}
      </svg>
    </figure>
  );
}
