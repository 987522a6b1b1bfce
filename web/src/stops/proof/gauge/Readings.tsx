import { useState } from "react";

import { type GaugeLine, pictures } from "../../../api/client";

const STATES = [
  ["measured", "Measured"],
  ["not sure", "Not sure"],
  ["not seen", "Not seen"],
] as const;

/** Every line: what is told of it, how sure that is, and the props that show it beside the two likeliest readings. */
export function Readings({ lines, evidence }: { lines: GaugeLine[]; evidence: Record<string, string> }) {
  const [open, setOpen] = useState<string | null>(null);
  return (
    <>
      {STATES.map(([state, words]) => {
        const held = lines.filter((line) => line.state === state);
        if (!held.length) return null;
        return (
          <section key={state} aria-label={words} className="mt-5">
            <h2 className="border-b border-base-content pb-1">
              {words} <span className="font-normal text-soft">{held.length}</span>
            </h2>
            {state === "not seen" ? (
              <p className="py-2 text-soft">{held.map((line) => line.label).join(", ")}.</p>
            ) : (
              held.map((line) => (
                <Line
                  key={line.key}
                  line={line}
                  evidence={evidence}
                  open={open === line.key}
                  onOpen={() => setOpen(open === line.key ? null : line.key)}
                />
              ))
            )}
          </section>
        );
      })}
    </>
  );
}

function Line({
  line,
  evidence,
  open,
  onOpen,
}: {
  line: GaugeLine;
  evidence: Record<string, string>;
  open: boolean;
  onOpen: () => void;
}) {
  return (
    <div className="border-b border-base-300">
      <button
        className="grid w-full grid-cols-[220px_minmax(0,1fr)_60px_70px] items-baseline gap-3 py-1.5 text-left hover:underline"
        aria-expanded={open}
        onClick={onOpen}
      >
        <span className="font-semibold">{line.label}</span>
        <span>{line.words}</span>
        <span className="text-right font-mono">{line.confidence.toFixed(2)}</span>
        <span className="text-right font-mono text-soft">ΔE {line.delta_e.toFixed(1)}</span>
      </button>
      {open && (
        <div className="pb-3">
          {line.evidence.map((name) => (
            <figure key={name} className="mt-1 max-w-[560px]">
              <img
                src={pictures.blob(evidence[name] ?? "")}
                alt={`${line.label}: your picture, ${line.words}, ${line.next_words}`}
                className="w-full bg-booth"
              />
              <figcaption className="grid grid-cols-3 text-[12px] text-soft">
                <span>your picture</span>
                <span>{line.words}</span>
                <span>{line.next_words}</span>
              </figcaption>
            </figure>
          ))}
        </div>
      )}
    </div>
  );
}
