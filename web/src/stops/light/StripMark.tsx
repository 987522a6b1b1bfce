import { useDrag } from "@use-gesture/react";
import { type ReactNode, useRef, useState } from "react";

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
  const [shift, setShift] = useState<{ round: number; up: number } | null>(null);
  const mark = useRef<HTMLButtonElement>(null);
  useDrag(
    ({ event, movement: [x, y], last, tap }) => {
      event.stopPropagation();
      const strip = mark.current?.parentElement;
      if (!strip) return;
      const moved = { round: (x / strip.clientWidth) * 360, up: level ? 0 : (-y / strip.clientHeight) * 180 };
      setShift(last ? null : moved);
      if (last && !tap) onMove(round(kept + moved.round), Math.max(-90, Math.min(90, keptHeight + moved.up)));
    },
    { target: mark, filterTaps: true, pointer: { keys: false } },
  );
  const azimuth = round(kept + (shift?.round ?? 0));
  const height = Math.max(-90, Math.min(90, keptHeight + (shift?.up ?? 0)));
  return (
    <button
      ref={mark}
      className={`absolute grid min-h-5 min-w-5 -translate-x-1/2 -translate-y-1/2 cursor-move touch-none place-items-center border-2 border-[#22241f] text-[11px] font-semibold text-[#22241f] outline outline-[#fbfaf8] focus-visible:outline-3 ${className}`}
      style={{
        left: `${(azimuth / 360 + 0.5) * 100}%`,
        top: `${(0.5 - height / 180) * 100}%`,
        width: wide ? `${(wide / 360) * 100}%` : undefined,
        height: tall ? `${(tall / 180) * 100}%` : undefined,
      }}
      aria-label={`${label}: ${azimuth.toFixed(0)} degrees round${level ? "" : `, ${height.toFixed(0)} high`}`}
      title={title}
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
