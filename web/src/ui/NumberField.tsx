import { type PointerEvent, useEffect, useRef, useState } from "react";

import { fits, type Range } from "../api/decisions";

interface Shared {
  label: string;
  value: number | null;
  /** What the core takes. */
  range: Range;
  /** Digits that count. */
  digits?: number;
  className?: string;
}

type Props = Shared &
  (
    | {
        /** What an empty field says; it may be emptied. */ empty: string;
        onSet: (value: number | null) => void;
      }
    | { empty?: undefined; onSet: (value: number) => void }
  );

/** Pixels of a drag before it is one, and not a press. */
const DRAG_PX = 3;

/** What a number changes by: a two-hundredth of its range where that has two ends, else a hundredth of itself. */
function stepOf({ minimum, above, maximum }: Range, value: number): number {
  const low = minimum ?? above;
  if (low !== undefined && maximum !== undefined && maximum - low <= 1000) return (maximum - low) / 200;
  return Math.max(Math.abs(value), 0.1) / 100;
}

function within(
  { minimum = -Infinity, maximum = Infinity, above }: Range,
  value: number,
  step: number,
): number {
  const low = above === undefined ? minimum : Math.max(minimum, above + step);
  return Math.min(Math.max(value, low), maximum);
}

/** A number that is dragged sideways, stepped by the arrow keys (Shift in tens, Alt in tenths), or typed and set with Enter or on leaving the field; what is out of its range stays unsaid, and the range is told. */
export function NumberField({ label, value, range, digits = 4, className = "w-16", ...rest }: Props) {
  const shown = value === null ? "" : String(Number(value.toPrecision(digits)));
  const [text, setText] = useState(shown);
  const drag = useRef<{ from: number; at: number; moved: boolean; step: number } | null>(null);
  useEffect(() => setText(shown), [shown]);
  const good = text === shown || (text.trim() === "" ? rest.empty !== undefined : fits(range, Number(text)));
  const put = (told: string) => {
    if (told === shown) return;
    if (told.trim() !== "") {
      if (fits(range, Number(told))) rest.onSet(Number(told));
    } else if (rest.empty !== undefined) rest.onSet(null);
  };
  const written = (number: number) => String(Number(number.toPrecision(digits)));

  function down(event: PointerEvent<HTMLInputElement>) {
    if (event.button !== 0 || document.activeElement === event.currentTarget || value === null) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    drag.current = {
      from: event.clientX,
      at: Number(text) || 0,
      moved: false,
      step: stepOf(range, Number(text) || 0),
    };
  }
  function move(event: PointerEvent<HTMLInputElement>) {
    const held = drag.current;
    if (!held) return;
    const across = event.clientX - held.from;
    if (!held.moved && Math.abs(across) < DRAG_PX) return;
    held.moved = true;
    const pace = event.shiftKey ? 10 : event.altKey ? 0.1 : 1;
    setText(written(within(range, held.at + across * held.step * pace, held.step)));
  }
  function up(event: PointerEvent<HTMLInputElement>) {
    const held = drag.current;
    drag.current = null;
    if (!held) return;
    if (held.moved) put(text);
    else {
      event.currentTarget.focus();
      event.currentTarget.select();
    }
  }

  return (
    <span className="relative inline-block">
      <input
        className={`field h-6 font-mono focus:cursor-text not-focus:cursor-ew-resize ${className} ${good ? "" : "border-error"}`}
        aria-label={label}
        aria-invalid={!good}
        title={range.words}
        placeholder={rest.empty}
        inputMode="decimal"
        value={text}
        onChange={(event) => setText(event.target.value)}
        onBlur={() => put(text)}
        onMouseDown={(event) =>
          document.activeElement !== event.currentTarget && value !== null && event.preventDefault()
        }
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={up}
        onPointerCancel={() => {
          drag.current = null;
          setText(shown);
        }}
        onKeyDown={(event) => {
          if (event.key === "Enter") put(text);
          else if (event.key === "Escape" && text !== shown) {
            event.stopPropagation();
            setText(shown);
          } else if ((event.key === "ArrowUp" || event.key === "ArrowDown") && text.trim() !== "") {
            event.preventDefault();
            const step = stepOf(range, Number(text)) * (event.shiftKey ? 10 : event.altKey ? 0.1 : 1);
            const next = Number(text) + (event.key === "ArrowUp" ? step : -step);
            setText(written(within(range, next, step)));
          }
        }}
      />
      {!good && (
        <span
          role="alert"
          className="absolute top-full left-0 z-10 w-max max-w-[240px] border border-base-content bg-base-100 px-2 py-1 text-[12px]"
        >
          Give {range.words}.
        </span>
      )}
    </span>
  );
}
