import { useEffect, useState } from "react";

interface Props {
  label: string;
  value: number | null;
  /** Hears of a new number, or of null when the field was emptied and may be. */
  onSet: (value: number | null) => void;
  /** Digits that count. */
  digits?: number;
  /** What an empty field says; without it a field cannot be emptied. */
  empty?: string;
  /** Whether only numbers above zero are taken. */
  positive?: boolean;
  className?: string;
  title?: string;
}

/** A number that is set with Enter or on leaving the field; what is no number stays unsaid. */
export function NumberField({ label, value, onSet, digits = 4, empty, positive, className = "w-16", title }: Props) {
  const shown = value === null ? "" : String(Number(value.toPrecision(digits)));
  const [text, setText] = useState(shown);
  useEffect(() => setText(shown), [shown]);
  const set = () => {
    if (text === shown) return;
    const number = Number(text);
    if (text === "") {
      if (empty !== undefined) onSet(null);
    } else if (Number.isFinite(number) && (!positive || number > 0)) onSet(number);
  };
  return <input className={`field h-6 font-mono ${className}`} aria-label={label} title={title} placeholder={empty} inputMode="decimal" value={text} onChange={(event) => setText(event.target.value)} onBlur={set} onKeyDown={(event) => event.key === "Enter" && set()} />;
}
