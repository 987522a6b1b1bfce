import { Link } from "react-router";

import type { Job } from "../../api/client";
import { isRunning, useStartJob, useTakeDeeds } from "../../api/hooks";
import { Notice } from "../../ui/Notice";
import { span } from "../../ui/Progress";
import type { Figures, HowRight } from "./figures";

type Deed = NonNullable<Figures["worth"]>["deeds"][number];

const mib = (value: number) => `${value > 0 ? "+" : "−"}${Math.abs(value).toFixed(1)} MiB`;

const triangles = (count: number) =>
  `${count > 0 ? "+" : "−"}${Math.abs(count).toLocaleString("en")} triangles`;

/** What is worth doing next: each measured before it is done, one press does it; and how right that was. */
export function Worth({
  move,
  proof,
  figures,
  current,
  job,
  right,
}: {
  move: number;
  proof: number;
  figures: Figures;
  current: boolean;
  job: Job | null;
  right: HowRight[];
}) {
  const start = useStartJob(move);
  const take = useTakeDeeds(move);
  const found = figures.worth;
  const running = job?.kind === "worth" && isRunning(job) ? job : null;
  const most = Math.max(0.05, ...(found?.deeds.map((deed) => Math.abs(deed.gain)) ?? []));
  const open = current && !found?.taken;
  const isTaken = (deed: Deed) => found?.taken?.ids.includes(deed.id) ?? false;
  const isUseful = (deed: Deed) => isTaken(deed) || deed.gain > 0;
  const useful = found?.deeds.filter(isUseful) ?? [];
  const useless = found?.deeds.filter((deed) => !isUseful(deed)) ?? [];
  const row = (deed: Deed) => (
    <li
      key={deed.id}
      className={`grid grid-cols-[minmax(0,1fr)_96px_44px_104px] items-center gap-3 border-b border-base-300 py-1.5 ${isTaken(deed) ? "opacity-60" : ""}`}
    >
      <span className="min-w-0">
        <span className="block truncate">
          <b className="font-semibold">{deed.where}</b>
        </span>
        <span className="block text-[12px] text-soft">
          {deed.words}
          {Math.abs(deed.mib) >= 0.05 && `, ${mib(deed.mib)} of memory`}
          {Math.abs(deed.download_mib) >= 0.05 && `, ${mib(deed.download_mib)} to download`}
          {deed.triangles !== 0 && `, ${triangles(deed.triangles)}`}
          {deed.seconds > 0 && `, ${span(deed.seconds)} to bake`}
        </span>
      </span>
      <span className="h-2">
        <span
          className={`block h-2 ${deed.gain < 0 ? "hatch-soft" : deed.significant ? "bg-base-content" : "border border-base-content"}`}
          style={{ width: `${(Math.abs(deed.gain) / most) * 100}%` }}
        />
      </span>
      <span
        className="text-right font-mono"
        title={deed.significant ? `give or take ${deed.noise.toFixed(2)}` : "within the noise"}
      >
        {deed.gain.toFixed(2)}
      </span>
      <span className="text-right">
        {isTaken(deed) ? (
          "done"
        ) : (
          <button
            className="font-semibold text-primary hover:underline disabled:text-soft"
            disabled={!open || take.isPending}
            aria-label={`Do it: ${deed.where}, ${deed.words.toLowerCase()}`}
            onClick={() => take.mutate({ proof, ids: [deed.id] })}
          >
            Do it
          </button>
        )}
      </span>
    </li>
  );
  return (
    <section aria-label="Worth doing" className="border-b border-base-300 p-[18px]">
      <h2>Worth doing</h2>
      <p className="text-soft">
        what one press would bring{found ? `, measured in ${found.view} before it is done` : ""}
      </p>
      {!found && !running && (
        <p className="mt-3">
          <button
            className="press"
            disabled={!current || start.isPending}
            onClick={() => start.mutate({ kind: "worth", settings: { proof } })}
          >
            Measure what is worth doing
          </button>
          {!current && <span className="ml-3 text-soft">The plan has changed since; prove again first.</span>}
        </p>
      )}
      {running && <p className="mt-3 text-soft">Trying each on what would be delivered… {running.message}</p>}
      {(start.error ?? take.error) && <Notice error={start.error ?? take.error} />}
      {found && found.deeds.length === 0 && (
        <p className="mt-2">
          Nothing that one press does would bring it nearer: no look can be fitted, and no limit of yours is
          in the way.
        </p>
      )}
      {found && found.deeds.length > 0 && useful.length === 0 && (
        <p className="mt-2">Nothing that one press does would bring it nearer in this view.</p>
      )}
      {useful.length > 0 && <ul className="mt-2">{useful.map(row)}</ul>}
      {useless.length > 0 && (
        <details className="mt-2">
          <summary className="cursor-pointer text-soft">
            {useless.length === 1 ? "One more was looked at" : `${useless.length} more were looked at`}, of no
            use in this view
          </summary>
          <ul>{useless.map(row)}</ul>
        </details>
      )}
      {open && found && found.all_free.length > 1 && (
        <p className="mt-3 flex items-center gap-3">
          <button
            className="press"
            disabled={take.isPending}
            onClick={() => take.mutate({ proof, ids: found.all_free })}
          >
            Do all that cost nothing
          </button>
          <span className="text-soft">
            ΔE {found.mean.toFixed(2)} → {found.mean_after_free.toFixed(2)} over the frame
          </span>
        </p>
      )}
      {found && found.guesses.length > 0 && (
        <div className="mt-3">
          <p className="font-semibold">Guesses that wait</p>
          <p className="text-soft">
            They change what is meant and what arrives alike, so whether one is right only you can tell. This
            is how much each would change.
          </p>
          <ul>
            {found.guesses.map((one) => (
              <li
                key={`${one.where} ${one.words}`}
                className="flex items-baseline justify-between gap-3 border-b border-base-300 py-1.5"
              >
                <span className="min-w-0">
                  <b className="block truncate font-semibold">{one.where}</b>
                  <span className="block text-[12px] text-soft">{one.words}</span>
                </span>
                <span className="shrink-0 font-mono" title={`give or take ${one.noise.toFixed(2)}`}>
                  ΔE {one.change.toFixed(2)}
                </span>
              </li>
            ))}
          </ul>
          <Link
            className="mt-2 inline-block font-semibold text-primary hover:underline"
            to={`/moves/${move}/inventory`}
          >
            Look at them
          </Link>
        </div>
      )}
      {found?.taken && !right.some((one) => one.words === found.taken!.words) && (
        <p className="mt-3">
          Done: ΔE {found.taken.predicted.toFixed(2)} less is expected. Prove again to see whether it is so.
        </p>
      )}
      {right.length > 0 && (
        <div className="mt-3">
          <p className="font-semibold">How right it has been</p>
          <ul>
            {right.map((one) => (
              <li key={`${one.proof} ${one.next}`} className="flex justify-between gap-3">
                <span className="truncate" title={one.words}>
                  {one.words}
                </span>
                <span className="shrink-0 font-mono text-[12px]">
                  {one.predicted.toFixed(2)} expected, {one.measured.toFixed(2)} measured in proof {one.next}
                </span>
              </li>
            ))}
          </ul>
        </div>
      )}
    </section>
  );
}
