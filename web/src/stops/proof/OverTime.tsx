import type { Sequence } from "./Motion";
import { Slider } from "../../ui/Slider";

const [WIDTH, HEIGHT, LEFT, BOTTOM] = [274, 110, 26, 16];

/** ΔE of the subject over the time of a clip, its interval as a band, the verdict limits as lines; a frame is chosen on the slider below. */
export function OverTime({
  sequence,
  limits,
  at,
  onAt,
}: {
  sequence: Sequence;
  limits: number[];
  at: number;
  onAt: (frame: number) => void;
}) {
  const { frames } = sequence;
  const shown = frames[Math.min(at, frames.length - 1)];
  if (!shown) return null;
  const worst = frames.reduce((most, one) => (one.judged > most.judged ? one : most), shown);
  const top =
    Math.max(limits[0]! * 1.2, ...frames.map((one) => Math.max(one.judged, one.subject.high))) * 1.05;
  const [first, last] = [frames[0]!.time_s, frames.at(-1)!.time_s];
  const x = (time: number) => LEFT + ((time - first) / Math.max(last - first, 1e-6)) * (WIDTH - LEFT - 4);
  const y = (value: number) => 4 + (1 - value / top) * (HEIGHT - BOTTOM - 4);
  const line = (of: (one: (typeof frames)[number]) => number) =>
    frames.map((one) => `${x(one.time_s).toFixed(1)},${y(of(one)).toFixed(1)}`);
  const each = frames.reduce((sum, one) => sum + one.seconds, 0) / frames.length;
  return (
    <figure className="mt-3">
      <figcaption>
        {sequence.clip_name} from {sequence.view}: worst ΔE {worst.judged.toFixed(1)} at{" "}
        {worst.time_s.toFixed(2)} s
        <span className="block text-[12px] text-soft">
          {frames.length} frames, {each.toFixed(1)} s a frame
        </span>
      </figcaption>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="mt-1 w-full"
        role="img"
        aria-label={frames.map((one) => `${one.time_s.toFixed(2)} s: ΔE ${one.judged.toFixed(1)}`).join(", ")}
      >
        {limits
          .filter((limit) => limit < top)
          .map((limit) => (
            <g key={limit}>
              <line
                x1={LEFT}
                x2={WIDTH - 4}
                y1={y(limit)}
                y2={y(limit)}
                className="stroke-primary"
                strokeWidth="0.7"
                strokeDasharray="3 3"
              />
              <text
                x={LEFT - 4}
                y={y(limit) + 3}
                textAnchor="end"
                className="fill-current font-mono text-[9px]"
              >
                {limit}
              </text>
            </g>
          ))}
        <text x={LEFT - 4} y={y(0) + 3} textAnchor="end" className="fill-current font-mono text-[9px]">
          0
        </text>
        <polygon
          points={[...line((one) => one.subject.high), ...line((one) => one.subject.low).reverse()].join(" ")}
          className="fill-base-content opacity-15"
        />
        <polyline
          points={line((one) => one.subject.value).join(" ")}
          fill="none"
          stroke="currentColor"
          strokeWidth="1.2"
        />
        <polyline
          points={line((one) => one.judged).join(" ")}
          fill="none"
          stroke="currentColor"
          strokeWidth="1.2"
          strokeDasharray="1 2"
        />
        <line
          x1={x(shown.time_s)}
          x2={x(shown.time_s)}
          y1={4}
          y2={HEIGHT - BOTTOM}
          className="stroke-primary"
          strokeWidth="1.5"
        />
        {[first, last].map((time, side) => (
          <text
            key={side}
            x={x(time)}
            y={HEIGHT - 3}
            textAnchor={side ? "end" : "start"}
            className="fill-current font-mono text-[9px]"
          >
            {time.toFixed(2)} s
          </text>
        ))}
      </svg>
      <Slider
        label="Frame"
        words={() => `${shown.time_s.toFixed(2)} seconds`}
        least={0}
        most={frames.length - 1}
        step={1}
        value={Math.min(at, frames.length - 1)}
        onChange={onAt}
      />
      <p className="font-mono text-[12px]">
        frame {shown.number}, {shown.time_s.toFixed(2)} s: subject {shown.subject.value.toFixed(2)} (
        {shown.subject.low.toFixed(2)}–{shown.subject.high.toFixed(2)}), worst {shown.judged.toFixed(2)}
      </p>
      <p className="text-[12px] text-soft">
        Line: the subject, with what it lies within. Dots: the worse of subject and worst material.
      </p>
    </figure>
  );
}
