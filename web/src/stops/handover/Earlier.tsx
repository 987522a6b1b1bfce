import { useState } from "react";

import { useHandoverChanges } from "../../api/changes";
import { type Handover, pictures } from "../../api/client";
import { Changes } from "../../ui/Changes";
import { bytes, when } from "../../ui/format";
import { Notice, Waiting } from "../../ui/Notice";

/** Every handover of the move, the newest first, each with what is different since the one before, or since any other. */
export function Earlier({
  all,
  shown,
  onShow,
}: {
  all: Handover[];
  shown: Handover | undefined;
  onShow: (number: number) => void;
}) {
  const [open, setOpen] = useState<number | null>(null);
  if (all.length === 0) return null;
  return (
    <section aria-label="Delivered so far" className="mt-6">
      <h2>Delivered so far</h2>
      <ul className="mt-1">
        {all.map((one) => (
          <li key={one.id} className="border-b border-base-300">
            <div className="flex h-8 items-center gap-4">
              <button
                className={`text-left ${one.id === shown?.id ? "font-semibold" : "underline"}`}
                aria-current={one.id === shown?.id}
                onClick={() => onShow(one.number)}
              >
                {one.number} · {one.destination}
              </button>
              <span className="flex-1 text-[12px] text-soft">{when(one.created)}</span>
              {all.length > 1 && (
                <button
                  className="text-[12px] underline"
                  aria-expanded={open === one.number}
                  onClick={() => setOpen(open === one.number ? null : one.number)}
                >
                  What changed
                </button>
              )}
              <span className="w-16 text-right font-mono text-[12px] text-soft">{bytes(weight(one))}</span>
            </div>
            {open === one.number && <Since one={one} others={all.filter((other) => other.id !== one.id)} />}
          </li>
        ))}
      </ul>
    </section>
  );
}

function Since({ one, others }: { one: Handover; others: Handover[] }) {
  const before = others.find((other) => other.number < one.number) ?? others[0]!;
  const [since, setSince] = useState(before.number);
  const other = others.find((candidate) => candidate.number === since) ?? before;
  const changes = useHandoverChanges(one.id, other.number);
  return (
    <div className="border-t border-base-300 pb-2">
      <label className="flex items-center gap-2 pt-2 text-soft">
        since
        <select
          className="field h-6"
          value={since}
          onChange={(event) => setSince(Number(event.target.value))}
        >
          {others.map((candidate) => (
            <option key={candidate.id} value={candidate.number}>
              number {candidate.number} · {candidate.destination}
            </option>
          ))}
        </select>
      </label>
      {changes.isPending ? (
        <Waiting text="Comparing…" />
      ) : changes.error ? (
        <Notice error={changes.error} onRetry={() => void changes.refetch()} />
      ) : (
        <Changes
          data={changes.data}
          pictureOf={(side, path) => pictures.delivered(side === "after" ? one.id : other.id, path, 320)}
        />
      )}
    </div>
  );
}

const weight = (one: Handover) => one.files.reduce((sum, file) => sum + file.size, 0);
