import { type ReactNode, useState } from "react";

/** Degrees round, brought between -180 and 180. */
export const round = (degrees: number) => ((((degrees + 180) % 360) + 360) % 360) - 180;

interface Props {
  label: string;
  azimuth: number;
  height: number;
  /** How wide and high it is seen, in degrees; small ones keep a size that can be grasped. */
  wide?: number;
  tall?: number;
  className?: string;
  title?: string;
  children?: ReactNode;
  /** Whether it only moves round. */
  level?: boolean;
  onMove: (azimuth: number, height: number) => void;
}

/** Something on the strip that is dragged round and up, or moved with the arrow keys. */
export function StripMark({
  label,
  azimuth: kept,
  height: keptHeight,
  wide = 0,
  tall = 0,
  className = "",
  title,
  children,
  level,
  onMove,
}: Props) {
  const [shift, setShift] = useState<{ x: number; y: number; round: number; up: number } | null>(null);
  const azimuth = round(kept + (shift?.round ?? 0));
  const height = Math.max(-90, Math.min(90, keptHeight + (shift?.up ?? 0)));
  return (
    <button
      className={`absolute grid min-h-5 min-w-5 -translate-x-1/2 -translate-y-1/2 cursor-move touch-none place-items-center border-2 border-[#22241f] text-[11px] font-semibold text-[#22241f] outline outline-[#fbfaf8] focus-visible:outline-3 ${className}`}
      style={{
        left: `${(azimuth / 360 + 0.5) * 100}%`,
        top: `${(0.5 - height / 180) * 100}%`,
        width: wide ? `${(wide / 360) * 100}%` : undefined,
        height: tall ? `${(tall / 180) * 100}%` : undefined,
      }}
      aria-label={`${label}: ${azimuth.toFixed(0)} degrees round${level ? "" : `, ${height.toFixed(0)} high`}`}
      title={title}
      onPointerDown={(event) => {
        event.stopPropagation();
        event.currentTarget.setPointerCapture(event.pointerId);
        setShift({ x: event.clientX, y: event.clientY, round: 0, up: 0 });
      }}
      onPointerMove={(event) => {
        const strip = event.currentTarget.parentElement;
        if (shift && strip)
          setShift({
            ...shift,
            round: ((event.clientX - shift.x) / strip.clientWidth) * 360,
            up: level ? 0 : (-(event.clientY - shift.y) / strip.clientHeight) * 180,
          });
      }}
      onPointerUp={(event) => {
        event.stopPropagation();
        if (shift && (shift.round || shift.up)) onMove(azimuth, height);
        setShift(null);
      }}
      onKeyDown={(event) => {
        const step = { ArrowLeft: [-2, 0], ArrowRight: [2, 0], ArrowUp: [0, 2], ArrowDown: [0, -2] }[
          event.key
        ];
        if (!step || (level && step[1])) return;
        event.preventDefault();
        onMove(round(kept + step[0]!), Math.max(-90, Math.min(90, keptHeight + step[1]!)));
      }}
    >
      {children}
    </button>
  );
}
