import type { Budget } from "../../../api/client";
import { Gridlines } from "../../../ui/Gridlines";
import { told } from "./told";

type Found = NonNullable<Budget["found"]>;

const [WIDTH, HEIGHT, LEFT, BOTTOM] = [560, 210, 44, 30];

/** The least that is lost for what is taken, where the delivery stands, and where the choice is. */
export function BudgetCurve({ found }: { found: Found }) {
  const points = found.curve;
  if (points.length < 2) return null;
  const along = found.along;
  const marks = [
    { at: found.then[along], loss: found.loss, words: "this choice", full: true },
    ...(found.stands
      ? [{ at: found.stands[along], loss: found.stands.loss, words: "as it stands", full: false }]
      : []),
  ];
  // Halves and doubles are told alike: the axis is of powers of two.
  const low = Math.log2(Math.max(Math.min(...points.map((one) => one.taken), ...marks.map((m) => m.at)), 1));
  const high = Math.max(
    Math.log2(Math.max(...points.map((one) => one.taken), ...marks.map((m) => m.at), 2)),
    low + 0.1,
  );
  const top = Math.max(0.05, ...points.map((one) => one.loss), ...marks.map((m) => m.loss)) * 1.08;
  const x = (taken: number) =>
    LEFT + ((Math.log2(Math.max(taken, 1)) - low) / (high - low)) * (WIDTH - LEFT - 14);
  const y = (loss: number) => 8 + (1 - loss / top) * (HEIGHT - BOTTOM - 8);
  const ticks = Array.from({ length: 5 }, (_, k) => 2 ** (low + ((high - low) * k) / 4));
  return (
    <figure>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        role="img"
        aria-label={`The least ΔE that is lost, from ${told(along, points[0]!.taken)} to ${told(along, points.at(-1)!.taken)}`}
        className="w-full max-w-[640px]"
      >
        <Gridlines top={top} left={LEFT} right={WIDTH - 14} y={y} />
        {ticks.map((taken, k) => (
          <text
            key={k}
            x={x(taken)}
            y={HEIGHT - 10}
            textAnchor={k === 0 ? "start" : k === 4 ? "end" : "middle"}
            className="fill-current text-[11px]"
          >
            {told(along, taken)}
          </text>
        ))}
        <polyline
          points={points.map((one) => `${x(one.taken)},${y(one.loss)}`).join(" ")}
          fill="none"
          strokeWidth="1.5"
          className="stroke-current"
        />
        {points.map((one) => (
          <circle key={one.taken} cx={x(one.taken)} cy={y(one.loss)} r="1.8" className="fill-current">
            <title>{`${told(along, one.taken)}: ΔE ${one.loss.toFixed(2)}`}</title>
          </circle>
        ))}
        {marks.map((mark) => (
          <rect
            key={mark.words}
            x={x(mark.at) - 5}
            y={y(mark.loss) - 5}
            width="10"
            height="10"
            strokeWidth="2"
            className={mark.full ? "fill-primary stroke-primary" : "fill-base-100 stroke-current"}
          >
            <title>{`${mark.words}: ${told(along, mark.at)}, ΔE ${mark.loss.toFixed(2)}`}</title>
          </rect>
        ))}
      </svg>
      <figcaption className="text-[12px] text-soft">
        The least mean ΔE over the frame that is lost under this limit alone: each point can be had, and
        nothing lies below the line.{" "}
        {marks.map((mark) => (
          <span key={mark.words} className="mr-3 inline-flex items-center gap-1.5">
            <span
              aria-hidden="true"
              className={`inline-block h-2.5 w-2.5 border-2 ${mark.full ? "border-primary bg-primary" : "border-base-content bg-base-100"}`}
            />
            {mark.words}
          </span>
        ))}
      </figcaption>
    </figure>
  );
}
