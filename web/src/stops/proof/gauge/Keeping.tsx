import { useState } from "react";
import { Link } from "react-router";

import type { Gauge, Move } from "../../../api/client";
import { useUseGauge } from "../../../api/gauge";
import { Notice } from "../../../ui/Notice";

/** What was measured kept as a sheet of one's own, which this move then goes by. */
export function Keeping({ move, gauge }: { move: Move; gauge: Gauge }) {
  const keep = useUseGauge(move.id);
  const [name, setName] = useState(`${gauge.sheet} measured`);
  return (
    <form
      className="mt-5 border border-base-300 bg-base-100 p-3"
      aria-label="Keep as a sheet"
      onSubmit={(event) => {
        event.preventDefault();
        keep.mutate({ name, take: true });
      }}
    >
      <div className="flex items-end gap-2">
        <label>
          <span className="block text-[12px] text-soft">Keep what was measured as a sheet of your own</span>
          <input className="field w-64" value={name} onChange={(event) => setName(event.target.value)} />
        </label>
        <button className="press press-main" disabled={keep.isPending || !name.trim()}>
          Keep it, and go by it here
        </button>
        {gauge.used && (
          <Link className="underline" to={`/sheets/${encodeURIComponent(gauge.used.toLowerCase())}`}>
            {gauge.used}
          </Link>
        )}
      </div>
      <p className="mt-1 text-[12px] text-soft">
        Lines that were measured are set; all others stay as {gauge.sheet} has them. The arrival is then read
        as your program reads it.
      </p>
      {keep.error && <Notice error={keep.error} />}
    </form>
  );
}
