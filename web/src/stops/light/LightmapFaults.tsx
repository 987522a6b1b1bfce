import { useState } from "react";

import type { Decision, LightmapFault, Lightmaps } from "../../api/client";
import { FAULT_WORDS } from "./lenses";

interface Shown {
  /** What mends all faults of a kind at once. */
  cures: Lightmaps["cures"];
  chosen: string | null;
  onShow: (fault: LightmapFault) => void;
  onCure: (decisions: Decision[]) => void;
  busy: boolean;
}

/** What is wrong with the bake, grouped by kind: where, why, and one press that mends it. */
export function LightmapFaults({
  faults,
  cures,
  chosen,
  onShow,
  onCure,
  busy,
}: Shown & { faults: LightmapFault[] }) {
  const kinds = [...new Set(faults.map((fault) => fault.kind))];
  if (!faults.length)
    return (
      <section aria-label="Faults" className="border-b border-base-300 px-5 py-4">
        <h2>Faults</h2>
        <p className="text-soft">
          None found: no leaks, no seams, no noise that shows, enough texels everywhere.
        </p>
      </section>
    );
  return (
    <section aria-label="Faults" className="border-b border-base-300 px-5 py-4">
      <h2>Faults</h2>
      {kinds.map((kind) => (
        <Kind
          key={kind}
          kind={kind}
          faults={faults.filter((fault) => fault.kind === kind)}
          cures={cures}
          chosen={chosen}
          onShow={onShow}
          onCure={onCure}
          busy={busy}
        />
      ))}
    </section>
  );
}

const SHOWN = 3;

function Kind({
  kind,
  faults,
  cures,
  chosen,
  onShow,
  onCure,
  busy,
}: Shown & { kind: string; faults: LightmapFault[] }) {
  const [all, setAll] = useState(false);
  const curable = faults.filter((fault) => fault.decisions.length);
  const shown = all ? faults : faults.slice(0, SHOWN);
  return (
    <div className="mt-3">
      <div className="flex items-center gap-3">
        <h3 className="font-semibold">
          {FAULT_WORDS[kind] ?? kind}{" "}
          <span className="font-normal text-soft">
            {faults.length === 1 ? "1 part" : `${faults.length} parts`}
          </span>
        </h3>
        {curable.length > 1 && (
          <button className="press h-6 px-2" disabled={busy} onClick={() => onCure(cures[kind] ?? [])}>
            Mend all {curable.length}
          </button>
        )}
      </div>
      <ul>
        {shown.map((fault) => (
          <li
            key={fault.part}
            className={`border-l-2 py-1.5 pl-3 ${chosen === fault.part ? "border-primary" : "border-base-300"}`}
          >
            <div className="flex items-baseline gap-3">
              <button
                className="text-left underline decoration-base-300 underline-offset-2 hover:decoration-current"
                onClick={() => onShow(fault)}
              >
                {fault.text}
              </button>
              <span className="ml-auto font-mono text-[12px] whitespace-nowrap text-soft">
                ΔE {fault.worst.toFixed(1)} on {(100 * fault.share).toFixed(fault.share < 0.1 ? 1 : 0)} %
              </span>
            </div>
            <div className="flex items-start gap-3">
              <p className="flex-1 text-[12px] text-soft">{fault.cause}</p>
              {fault.cure && (
                <button
                  className="press h-6 shrink-0 px-2"
                  disabled={busy}
                  onClick={() => onCure(fault.decisions)}
                >
                  {fault.cure}
                </button>
              )}
            </div>
          </li>
        ))}
      </ul>
      {faults.length > SHOWN && (
        <button className="mt-1 text-[12px] text-soft underline" onClick={() => setAll(!all)}>
          {all ? "fewer" : `${faults.length - SHOWN} more`}
        </button>
      )}
    </div>
  );
}
