import type { Nearest } from "../../../api/client";
import { Gridlines } from "../../../ui/Gridlines";

const WIDTH = 300;
const HEIGHT = 170;
const LEFT = 28;
const BOTTOM = 20;
const LINES = [
  ["meant", "", 2.5],
  ["copied", "2 4", 1.5],
  ["fitted", "7 3", 1.5],
] as const;

/** Light over the angle of view: what is meant, copied and fitted, told apart by their dashes. */
export function AngleCurves({ curves }: { curves: Nearest["curves"] }) {
  const top = Math.max(0.05, ...LINES.flatMap(([side]) => curves[side])) * 1.08;
  const x = (degrees: number) => LEFT + (degrees / 90) * (WIDTH - LEFT - 6);
  const y = (light: number) => 6 + (1 - light / top) * (HEIGHT - BOTTOM - 6);
  return (
    <figure>
      <h2>Light over the angle of view</h2>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        role="img"
        aria-label="Light sent to the eye, from facing to grazing: as meant, copied and fitted"
        className="mt-1 w-full"
      >
        <Gridlines top={top} left={LEFT} right={WIDTH - 6} y={y} />
        {[0, 30, 60, 90].map((degrees) => (
          <text
            key={degrees}
            x={x(degrees)}
            y={HEIGHT - 5}
            textAnchor={degrees === 90 ? "end" : "middle"}
            className="fill-current text-[11px]"
          >
            {degrees}°
          </text>
        ))}
        {LINES.map(([side, dash, width]) => (
          <polyline
            key={side}
            points={curves.degrees.map((degrees, k) => `${x(degrees)},${y(curves[side][k]!)}`).join(" ")}
            fill="none"
            strokeWidth={width}
            strokeDasharray={dash}
            className="stroke-current"
          />
        ))}
      </svg>
      <figcaption className="text-[12px] text-soft">
        {LINES.map(([side, dash, width]) => (
          <span key={side} className="mr-3 inline-flex items-center gap-1.5">
            <svg width={26} height={6} aria-hidden="true">
              <line
                x1={0}
                x2={26}
                y1={3}
                y2={3}
                strokeWidth={width}
                strokeDasharray={dash}
                className="stroke-current"
              />
            </svg>
            {side === "meant" ? "as meant" : side}
          </span>
        ))}
        <span className="block">0° faces the eye. 1 is shown white.</span>
      </figcaption>
    </figure>
  );
}
