/** Three lines across a plot, at nothing, half and all of its height, each with its number. */
export function Gridlines({
  top,
  left,
  right,
  y,
}: {
  top: number;
  left: number;
  right: number;
  y: (value: number) => number;
}) {
  return [0, 0.5, 1].map((share) => (
    <g key={share}>
      <line x1={left} x2={right} y1={y(top * share)} y2={y(top * share)} className="stroke-base-300" />
      <text x={0} y={y(top * share) + 4} className="fill-current text-[11px]">
        {(top * share).toFixed(2)}
      </text>
    </g>
  ));
}
