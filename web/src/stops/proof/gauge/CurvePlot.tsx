import type { GaugeFound } from "../../../api/client";

const WIDTH = 420;
const HEIGHT = 190;
const LEFT = 34;
const BOTTOM = 22;

/** How light is shown: the measured steps, joined. */
export function CurvePlot({ curve }: { curve: GaugeFound["curve"] }) {
  const { stops, codes } = curve;
  const low = Math.floor(stops[0] ?? -8);
  const high = Math.ceil(stops.at(-1) ?? 4);
  const x = (stop: number) => LEFT + ((stop - low) / Math.max(high - low, 1)) * (WIDTH - LEFT - 8);
  const y = (code: number) => 8 + (1 - code / 255) * (HEIGHT - BOTTOM - 8);
  const said = curve.formula
    ? `The open curve “${curve.formula}” explains it.`
    : `No open curve explains it; the nearest is ΔE ${curve.delta_e.toFixed(1)} off.`;
  return (
    <figure>
      <h2>How light is shown</h2>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        role="img"
        aria-label={`Tone curve from ${low} to ${high} stops, by ${curve.by}`}
        className="mt-1 w-full"
      >
        {[0, 0.5, 1].map((code) => (
          <g key={code}>
            <line
              x1={LEFT}
              x2={WIDTH - 8}
              y1={8 + (1 - code) * (HEIGHT - BOTTOM - 8)}
              y2={8 + (1 - code) * (HEIGHT - BOTTOM - 8)}
              className="stroke-base-300"
            />
            <text x={0} y={12 + (1 - code) * (HEIGHT - BOTTOM - 8)} className="fill-current text-[11px]">
              {Math.round(code * 255)}
            </text>
          </g>
        ))}
        {Array.from({ length: high - low + 1 }, (_, k) => low + k)
          .filter((stop) => stop % 2 === 0)
          .map((stop) => (
            <text
              key={stop}
              x={x(stop)}
              y={HEIGHT - 6}
              textAnchor="middle"
              className="fill-current text-[11px]"
            >
              {stop}
            </text>
          ))}
        <polyline
          points={stops.map((stop, k) => `${x(stop)},${y(codes[k]!)}`).join(" ")}
          fill="none"
          strokeWidth={1.5}
          className="stroke-current"
        />
        {stops.map((stop, k) => (
          <circle key={stop} cx={x(stop)} cy={y(codes[k]!)} r={2.5} className="fill-primary" />
        ))}
      </svg>
      <figcaption className="text-[12px] text-soft">
        Codes of the picture over stops of light, by {curve.by}. {said}
      </figcaption>
    </figure>
  );
}
