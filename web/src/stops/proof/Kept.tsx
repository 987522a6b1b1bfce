import type { Proofs } from "../../api/client";
import { deciding } from "../../api/decisions";
import { useCameraHere, useDecide } from "../../api/hooks";
import { NamedOptions } from "../../ui/NamedOptions";
import { Notice } from "../../ui/Notice";
import { offMiddle } from "../../view/offMiddle";

/** Views that were framed and kept: a moment and surroundings of their own, or gone again. */
export function Kept({ move, data }: { move: number; data: Proofs }) {
  const decide = useDecide(move);
  const camera = useCameraHere(move);
  const { kept } = data;
  if (!kept.length)
    return (
      <p className="col-span-2 text-[12px] text-soft">
        Frame a view in Inventory and press “Keep for proofs” to add it here.
      </p>
    );
  const put = (next: typeof kept) => decide.mutate([deciding("proof", "views", next)]);
  const drop = (at: number) => put(kept.filter((_, k) => k !== at));
  const change = (at: number, told: Partial<(typeof kept)[number]>) =>
    put(kept.map((one, k) => (k === at ? { ...one, ...told } : one)));
  return (
    <div className="col-span-2">
      <span className="block text-[12px] text-soft">Views kept</span>
      <ul>
        {kept.map((view, at) => (
          <li key={view.name} className="flex flex-wrap items-center gap-1.5 border-b border-base-300 py-1">
            <span className="min-w-0 flex-1 truncate">{view.name}</span>
            {data.clips.length > 0 && (
              <>
                <select
                  className="field w-24"
                  aria-label={`Motion in ${view.name}`}
                  value={view.clip ?? ""}
                  onChange={(event) => change(at, { clip: event.target.value })}
                >
                  <option value="">at rest</option>
                  <NamedOptions of={data.clips} />
                </select>
                {view.clip && (
                  <input
                    className="field w-14 font-mono"
                    aria-label={`Second in ${view.name}`}
                    defaultValue={view.time_s ?? 0}
                    onBlur={(event) =>
                      Number.isFinite(Number(event.target.value)) &&
                      change(at, { time_s: Math.max(Number(event.target.value), 0) })
                    }
                  />
                )}
              </>
            )}
            {data.surroundings.length > 0 && (
              <select
                className="field w-28"
                aria-label={`Surroundings of ${view.name}`}
                value={view.environment ?? ""}
                onChange={(event) => change(at, { environment: event.target.value })}
              >
                <option value="">its own light</option>
                <NamedOptions of={data.surroundings} />
              </select>
            )}
            <button
              className="press"
              disabled={camera.isPending || decide.isPending}
              title={
                offMiddle(view.shift)
                  ? "Becomes a camera of the move, its frame off the middle where the destination takes that"
                  : "Becomes a camera of the move, which is delivered"
              }
              onClick={() => {
                const { name, matrix, yfov_rad, shift } = view;
                camera.mutate(
                  {
                    camera: null,
                    name,
                    matrix,
                    yfov_rad,
                    aspect: view.aspect ?? 16 / 9,
                    shift: shift ?? [0, 0],
                  },
                  // What has no moment and no surroundings of its own is that camera from now on.
                  {
                    onSuccess: () => !view.clip && !view.environment && drop(at),
                  },
                );
              }}
            >
              Take along
            </button>
            <button className="press" disabled={decide.isPending} onClick={() => drop(at)}>
              Drop
            </button>
          </li>
        ))}
      </ul>
      {(decide.error ?? camera.error) && <Notice error={decide.error ?? camera.error} />}
    </div>
  );
}
