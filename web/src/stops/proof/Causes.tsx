import { Link } from "react-router";

import { type Job } from "../../api/client";
import { isRunning, useDecide, useStartJob } from "../../api/hooks";
import { Notice } from "../../ui/Notice";
import type { CauseFigures, Figures } from "./figures";

/** The address of a cure. */
function addressOf(move: number, { stop, show, material, crossing }: NonNullable<CauseFigures["cure"]>) {
  const query = new URLSearchParams(
    Object.entries({ show, material, crossing }).filter(([, value]) => value),
  );
  return `/moves/${move}/${stop}${query.size ? `?${query}` : ""}`;
}

/** What the difference would lose if each thing that was lost or changed had travelled; what no single one explains is told as the remainder. */
export function Causes({
  move,
  proof,
  figures,
  current,
  job,
  accepted,
}: {
  move: number;
  proof: number;
  figures: Figures;
  current: boolean;
  job: Job | null;
  accepted: Set<string>;
}) {
  const start = useStartJob(move);
  const decide = useDecide(move);
  const found = figures.causes;
  const running = job?.kind === "causes" && isRunning(job) ? job : null;
  const shown = found?.causes.filter((cause) => Math.abs(cause.share) >= 0.005).slice(0, 24) ?? [];
  const most = Math.max(
    0.05,
    ...shown.map((cause) => Math.abs(cause.share)),
    Math.abs(found?.remainder ?? 0),
  );
  return (
    <section aria-label="Causes" className="p-[18px]">
      <h2>Causes</h2>
      <p className="text-soft">
        what the difference would lose if each had travelled
        {found ? `, in ${found.view}, measured at half size in ${found.seconds.toFixed(0)} s` : ""}
      </p>
      {(figures.effects ?? []).length > 0 && (
        <p className="text-soft">
          They are of what arrives, without the after-effects that are simulated on top.
        </p>
      )}
      {!found && !running && (
        <p className="mt-3">
          <button
            className="press press-main"
            disabled={!current || start.isPending}
            onClick={() => start.mutate({ kind: "causes", settings: { proof } })}
          >
            Find what is to blame
          </button>
          {!current && <span className="ml-3 text-soft">The plan has changed since; prove again first.</span>}
        </p>
      )}
      {running && <p className="mt-3 text-soft">Taking everything back, one by one… {running.message}</p>}
      {start.error && <Notice error={start.error} />}
      {found && shown.length === 0 && <p className="mt-3">Nothing that differs can be seen from here.</p>}
      {found && (
        <ul className="mt-2">
          {shown.map((cause) => {
            const cure = cause.cure;
            return (
              <li
                key={cause.id}
                className={`grid grid-cols-[minmax(0,1fr)_96px_44px_104px] items-center gap-3 border-b border-base-300 py-1.5 ${accepted.has(`cause:${cause.id}`) ? "opacity-60" : ""}`}
              >
                <span className="min-w-0">
                  <span className="block truncate" title={`${cause.where}, ${cause.label.toLowerCase()}`}>
                    <b className="font-semibold">{cause.where}</b>, {cause.label.toLowerCase()}
                  </span>
                  <span className="block text-[12px] text-soft">{cause.reason}</span>
                </span>
                <span className="h-2">
                  <span
                    className={`block h-2 ${cause.share < 0 ? "hatch-soft" : cause.significant ? "bg-base-content" : "border border-base-content"}`}
                    style={{ width: `${(Math.abs(cause.share) / most) * 100}%` }}
                  />
                </span>
                <span
                  className="text-right font-mono"
                  title={cause.significant ? `give or take ${cause.noise.toFixed(2)}` : "within the noise"}
                >
                  {cause.share.toFixed(2)}
                </span>
                <span className="text-right">
                  {cure && (
                    <Link
                      className="block font-semibold text-primary hover:underline"
                      to={addressOf(move, cure)}
                    >
                      {cure.words}
                    </Link>
                  )}
                  <button
                    className="text-[12px] text-soft hover:underline"
                    disabled={decide.isPending}
                    onClick={() =>
                      decide.mutate([
                        {
                          target: `cause:${cause.id}`,
                          field: "accept",
                          value: !accepted.has(`cause:${cause.id}`),
                        },
                      ])
                    }
                  >
                    {accepted.has(`cause:${cause.id}`) ? "accepted, take back" : "accept it"}
                  </button>
                </span>
              </li>
            );
          })}
          {Math.abs(found.remainder) >= 0.005 && (
            <li className="grid grid-cols-[minmax(0,1fr)_96px_44px_104px] items-center gap-3 py-1.5 text-soft">
              <span>
                the rest, which no single one explains
                {found.untried ? ` (${found.untried} more were not tried)` : ""}
              </span>
              <span className="h-2">
                <span
                  className="hatch-soft block h-2"
                  style={{ width: `${(Math.abs(found.remainder) / most) * 100}%` }}
                />
              </span>
              <span className="text-right font-mono">{found.remainder.toFixed(2)}</span>
              <span />
            </li>
          )}
          <li className="pt-2 text-[12px] text-soft">
            A hatched bar hides part of the difference: taking it back would make it larger. An outlined one
            is within the noise.
          </li>
        </ul>
      )}
      {decide.error && <Notice error={decide.error} />}
    </section>
  );
}
