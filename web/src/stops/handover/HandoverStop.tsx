import { useEffect } from "react";
import { useSearchParams } from "react-router";

import type { Handover } from "../../api/client";
import { isRunning, useHandovers, useStartJob } from "../../api/hooks";
import { bytes, when } from "../../ui/format";
import { Mark } from "../../ui/Mark";
import { Notice, Waiting } from "../../ui/Notice";
import { useShownMove } from "../MoveShell";

/** Last stop: the package as it lies on disk, its packing list and report, and every earlier handover. */
export function HandoverStop() {
  const move = useShownMove();
  const handovers = useHandovers(move.id);
  const start = useStartJob(move.id);
  const [params, setParams] = useSearchParams();
  const running = move.job?.kind === "deliver" && isRunning(move.job);
  const finished = move.job?.kind === "deliver" && move.job.state === "done" ? move.job.id : null;
  const { refetch } = handovers;
  useEffect(() => {
    if (finished !== null) void refetch();
  }, [finished, refetch]);
  if (handovers.isPending) return <Waiting text="Looking for earlier handovers…" />;
  if (handovers.error) return <Notice error={handovers.error} onRetry={() => void handovers.refetch()} />;
  const shown = handovers.data.find((one) => String(one.number) === params.get("number")) ?? handovers.data[0];
  const deliver = (
    <button className="press press-main" disabled={running || start.isPending} onClick={() => start.mutate({ kind: "deliver" })}>
      {running ? "Writing the package…" : shown ? `Deliver number ${handovers.data[0]!.number + 1}` : "Deliver"}
    </button>
  );
  if (!shown) {
    return (
      <div className="p-8">
        <h1>Nothing delivered yet</h1>
        <p className="mt-1 max-w-xl text-soft">Delivering writes the package as the destination's sheet wants it, reads it back, and keeps it under a number. Nothing is ever overwritten.</p>
        <div className="mt-4">{deliver}</div>
        {start.error && <Notice error={start.error} />}
      </div>
    );
  }
  return (
    <div className="grid h-full grid-cols-[1fr_1fr_230px]">
      <section aria-label="Package" className="flex min-h-0 flex-col border-r border-base-300">
        <div className="border-b border-base-300 p-[18px]">
          <h1>
            Handover {shown.number}, {shown.destination}
          </h1>
          <p className="text-soft">
            {shown.files.length} files · {bytes(shown.files.reduce((sum, file) => sum + file.size, 0))} · {when(shown.created)}
          </p>
          {!shown.current && <p className="mt-1 border-l-[3px] border-primary pl-2">The plan has changed since. Deliver again to hand over what you see in Fit.</p>}
          <div className="mt-3 flex gap-2">
            <a className="press press-main" href={`/api/handovers/${shown.id}/package.zip`}>
              Download the package
            </a>
            <a className="press" href={`/api/handovers/${shown.id}/report`} target="_blank" rel="noreferrer">
              Open the report
            </a>
          </div>
          <p className="mt-3 flex gap-4">
            {(["exact", "close", "lost", "blocked"] as const).map((mark) => (
              <span key={mark} className="flex items-center gap-1.5">
                <Mark mark={mark} /> {shown.marks[mark] ?? 0} {mark}
              </span>
            ))}
          </p>
        </div>
        <FileTree files={shown.files} />
      </section>
      <section aria-label="Packing list" className="flex min-h-0 flex-col border-r border-base-300">
        <h2 className="border-b border-base-300 p-[18px]">Packing list</h2>
        <pre tabIndex={0} className="min-h-0 flex-1 overflow-auto bg-base-100 p-[18px] font-mono text-[11px] leading-[1.6] whitespace-pre-wrap">
          {shown.packing_list}
        </pre>
      </section>
      <section aria-label="Earlier handovers" className="overflow-y-auto p-[18px]">
        {deliver}
        {start.error && <Notice error={start.error} />}
        <h2 className="mt-5">Delivered so far</h2>
        <ul className="mt-2">
          {handovers.data.map((one) => (
            <li key={one.id} className="border-b border-base-300 py-1.5">
              <button className={`text-left ${one.id === shown.id ? "font-semibold" : "underline"}`} aria-current={one.id === shown.id} onClick={() => setParams({ number: String(one.number) }, { replace: true })}>
                {one.number} · {one.destination}
              </button>
              <span className="block text-[12px] text-soft">{when(one.created)}</span>
            </li>
          ))}
        </ul>
      </section>
    </div>
  );
}

function FileTree({ files }: { files: Handover["files"] }) {
  const folders = new Map<string, Handover["files"]>();
  for (const file of files) {
    const at = file.path.lastIndexOf("/");
    const folder = at < 0 ? "" : file.path.slice(0, at);
    folders.set(folder, [...(folders.get(folder) ?? []), file]);
  }
  return (
    <div className="min-h-0 flex-1 overflow-y-auto px-[18px] py-2">
      {[...folders.entries()].map(([folder, inside]) => (
        <div key={folder} className={folder ? "mt-2" : ""}>
          {folder && (
            <p className="flex h-7 items-center justify-between font-mono text-[12px] font-semibold">
              {folder}/ <span className="font-normal text-soft">{bytes(inside.reduce((sum, file) => sum + file.size, 0))}</span>
            </p>
          )}
          <ul className={folder ? "border-l border-base-300 pl-4" : ""}>
            {inside.map((file) => (
              <li key={file.path} className="flex h-6 items-center justify-between font-mono text-[12px]">
                <span className="truncate">{file.path.slice(folder ? folder.length + 1 : 0)}</span>
                <span className="pl-3 text-soft">{bytes(file.size)}</span>
              </li>
            ))}
          </ul>
        </div>
      ))}
    </div>
  );
}
