import { useEffect, useRef, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";

import type { AccountEntry } from "../../api/client";
import { isRunning, useAccounts, useAfter, useDecide, useHandovers, useStartJob } from "../../api/hooks";
import { when } from "../../ui/format";
import { Notice, Waiting } from "../../ui/Notice";
import { Papers } from "../../ui/Papers";
import { useShownMove } from "../MoveShell";
import { Balance, ByKind, NotExplained } from "./Books";
import { CameBack } from "./CameBack";
import { Earlier } from "./Earlier";
import { HowToImport } from "./HowToImport";
import { OnDisk } from "./OnDisk";
import { PackingList } from "./PackingList";

const STOP_OF: Record<string, string> = { input: "fit", material: "fit", light: "light" };

/** Last stop: what was sent and what arrived, read back from the bytes; the packing list, the package on disk, and every earlier handover. */
export function HandoverStop() {
  const move = useShownMove();
  const handovers = useHandovers(move.id);
  const accounts = useAccounts(move.id);
  const start = useStartJob(move.id);
  const decide = useDecide(move.id);
  const navigate = useNavigate();
  const [params, setParams] = useSearchParams();
  const [paper, setPaper] = useState<"list" | "disk" | "steps" | "report" | "back">("list");
  const job = move.job && isRunning(move.job) ? move.job : null;
  useAfter(move.job, ["deliver"], handovers.refetch);
  useAfter(move.job, ["account", "deliver", "prove"], accounts.refetch);
  // The books are taken by themselves, once for each state of the move.
  const asked = useRef("");
  const version = accounts.data?.known === false ? accounts.data.version : "";
  useEffect(() => {
    if (version && asked.current !== version && !job) {
      asked.current = version;
      start.mutate({ kind: "account" });
    }
  }, [version, job, start]);
  if (handovers.isPending || accounts.isPending) return <Waiting text="Looking at the books…" />;
  const failed = handovers.error ?? accounts.error;
  if (failed)
    return <Notice error={failed} onRetry={() => void (handovers.error ? handovers : accounts).refetch()} />;
  const all = handovers.data ?? [];
  const shown = all.find((one) => String(one.number) === params.get("number")) ?? all[0];
  const data = accounts.data;
  const unexplained = data?.entries.filter((entry) => entry.mark === "unaccounted") ?? [];
  const running = job?.kind === "deliver";
  const meant = (entry: AccountEntry, said: boolean) =>
    decide.mutate([{ target: `account:${entry.key}`, field: "meant", value: said }]);
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_390px]">
      <div className="min-h-0 overflow-y-auto px-7 py-5">
        <div className="flex flex-wrap items-baseline gap-3">
          <h1>Sent and arrived</h1>
          <p className="flex-1 text-soft">
            {shown?.current
              ? `from the bytes of number ${shown.number}`
              : "from the bytes of the package as it stands"}
          </p>
          {shown && (
            <a className="press" href={`/api/handovers/${shown.id}/report`} target="_blank" rel="noreferrer">
              Report
            </a>
          )}
          {shown && (
            <a className="press" href={`/api/handovers/${shown.id}/package.zip`}>
              Download
            </a>
          )}
          <button
            className="press press-main"
            disabled={running || start.isPending || !data?.known || data.unanswered > 0}
            onClick={() => start.mutate({ kind: "deliver" })}
          >
            {running
              ? "Writing the package…"
              : data?.known && data.unanswered > 0
                ? `${data.unanswered} to answer first`
                : shown
                  ? `Deliver number ${all[0]!.number + 1}`
                  : "Deliver"}
          </button>
        </div>
        {start.error && <Notice error={start.error} />}
        {decide.error && <Notice error={decide.error} />}
        {shown && !shown.current && (
          <p className="mt-2 border-l-[3px] border-primary pl-2">
            The plan has changed since number {shown.number}. Deliver again to hand over what stands here.
          </p>
        )}
        {data?.known ? (
          <>
            <Balance data={data} />
            <NotExplained
              entries={unexplained}
              onMeant={meant}
              busy={decide.isPending}
              onWhy={(entry) => void navigate(`../${STOP_OF[entry.kind] ?? "inventory"}`)}
            />
            <ByKind data={data} />
          </>
        ) : (
          <p role="status" className="mt-4 border-y border-base-300 py-4 text-soft">
            {job
              ? `The package is written and read back: ${job.message || "beginning"}.`
              : "The package has not been written and read back yet."}
            {!job && (
              <button className="press ml-3" onClick={() => start.mutate({ kind: "account" })}>
                Take the books
              </button>
            )}
          </p>
        )}
        <Earlier
          all={all}
          shown={shown}
          onShow={(number) => setParams({ number: String(number) }, { replace: true })}
        />
      </div>
      <aside aria-label="Package" className="flex min-h-0 flex-col border-l border-base-300 bg-base-100">
        <Papers
          label="Papers of the package"
          papers={[
            { key: "list", words: "Packing list" },
            { key: "disk", words: "On disk" },
            { key: "steps", words: "How to import" },
            { key: "report", words: "Report" },
            { key: "back", words: "Came back" },
          ]}
          shown={paper}
          onShow={setPaper}
          className="gap-3 px-[18px] pt-3 pb-2"
        >
          {paper === "list" ? (
            <PackingList move={move.id} />
          ) : paper === "back" ? (
            <CameBack delivered={all.length > 0} />
          ) : !shown ? (
            <div className="p-[18px]">
              <h2>Nothing delivered yet</h2>
              <p className="mt-1 text-soft">
                Delivering keeps the package under a number, with its packing list, its report and a note for
                the sender. Nothing is ever overwritten.
              </p>
            </div>
          ) : (
            <>
              <p className="px-[18px] pb-1 text-soft">
                Of number {shown.number}, {shown.destination}, {when(shown.created)}
              </p>
              {paper === "disk" ? (
                <OnDisk handover={shown} />
              ) : paper === "steps" ? (
                <HowToImport handover={shown} />
              ) : (
                <iframe
                  title={`Report of number ${shown.number}`}
                  src={`/api/handovers/${shown.id}/report`}
                  sandbox=""
                  className="min-h-0 w-full flex-1 border-0 bg-base-100"
                />
              )}
            </>
          )}
        </Papers>
      </aside>
    </div>
  );
}
