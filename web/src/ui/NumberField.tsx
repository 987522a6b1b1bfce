import { useEffect, useState } from "react";

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

/** A number that is set with Enter or on leaving the field; what is out of its range stays unsaid, and the range is told. */
export function NumberField({ label, value, range, digits = 4, className = "w-16", ...rest }: Props) {
  const shown = value === null ? "" : String(Number(value.toPrecision(digits)));
  const [text, setText] = useState(shown);
  useEffect(() => setText(shown), [shown]);
  const good = text === shown || (text.trim() === "" ? rest.empty !== undefined : fits(range, Number(text)));
  const set = () => {
    if (text === shown || !good) return;
    if (text.trim() !== "") rest.onSet(Number(text));
    else if (rest.empty !== undefined) rest.onSet(null);
  };
  return (
    <span className="relative inline-block">
      <input
        className={`field h-6 font-mono ${className} ${good ? "" : "border-error"}`}
        aria-label={label}
        aria-invalid={!good}
        title={range.words}
        placeholder={rest.empty}
        inputMode="decimal"
        value={text}
        onChange={(event) => setText(event.target.value)}
        onBlur={set}
        onKeyDown={(event) => event.key === "Enter" && set()}
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
