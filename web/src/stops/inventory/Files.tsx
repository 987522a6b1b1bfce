import { useRef, useState } from "react";
import { Link } from "react-router";

import type { FileRow } from "../../api/client";
import { useFileChange, useFiles } from "../../api/hooks";
import { bytes, when } from "../../ui/format";
import { Ledger } from "../../ui/Ledger";
import { Notice, Waiting } from "../../ui/Notice";
import { DropMore } from "./Findings";

const idOf = (file: FileRow) => file.path;

/** What was received, file by file: with which revision it came, replaced, removed, put in an earlier one's place; and every revision, to go back to. */
export function Files({ move, revision }: { move: number; revision: number }) {
  const files = useFiles(move, revision);
  const change = useFileChange(move);
  const chooser = useRef<HTMLInputElement>(null);
  const [chosen, setChosen] = useState<string[]>([]);
  if (files.isPending) return <Waiting text="Listing the files…" />;
  if (files.error) return <Notice error={files.error} onRetry={() => void files.refetch()} />;
  const { files: rows, revisions } = files.data;
  const some = rows.filter((row) => chosen.includes(row.path));
  const alone = some.length === 1 ? some[0]! : null;
  const busy = change.isPending;
  return (
    <>
      <Ledger
        label="files"
        rows={rows}
        idOf={idOf}
        textOf={idOf}
        height={40}
        chosen={chosen}
        onChoose={setChosen}
        empty="There are no files."
        render={(row) => (
          <>
            <span className="min-w-0 flex-1">
              <span className="block truncate font-mono text-[12px]">{row.path}</span>
              {row.place_of && (
                <span className="block truncate text-[12px] text-soft">
                  may be the next {row.place_of}: {row.why}
                </span>
              )}
            </span>
            <span className="w-20 text-right font-mono text-[12px]">{bytes(row.size)}</span>
            <span className="w-24 text-right text-[12px] text-soft">revision {row.revision}</span>
          </>
        )}
      />
      <div className="shrink-0 border-t border-base-300">
        <div className="flex flex-wrap items-center gap-2 px-4 py-2">
          <DropMore move={move} label="Add files…" />
          {alone?.place_of && (
            <button
              className="press press-main"
              disabled={busy}
              title={`It keeps the name ${alone.place_of}, and all that was decided about it`}
              onClick={() =>
                change.mutate({ act: "take-place", path: alone.path, place_of: alone.place_of! })
              }
            >
              Put it in place of {alone.place_of.split("/").pop()}
            </button>
          )}
          {alone && (
            <button className="press" disabled={busy} onClick={() => chooser.current?.click()}>
              Replace…
            </button>
          )}
          {some.length > 0 && (
            <button
              className="press"
              disabled={busy || some.length === rows.length}
              onClick={() => change.mutate({ act: "remove", paths: some.map(idOf) })}
            >
              Remove {some.length > 1 ? some.length : ""}
            </button>
          )}
          <input
            ref={chooser}
            type="file"
            hidden
            aria-label="File that takes its place"
            onChange={(event) => {
              const file = event.target.files?.[0];
              if (file && alone) change.mutate({ act: "replace", path: alone.path, file });
              event.target.value = "";
            }}
          />
        </div>
        {change.error && <Notice error={change.error} />}
        {revisions.length > 1 && (
          <section
            aria-label="Revisions"
            className="max-h-40 overflow-y-auto border-t border-base-300 px-4 py-2"
          >
            <h3>Revisions</h3>
            <ul>
              {revisions.map((one, at) => (
                <li key={one.number} className="flex h-7 items-center gap-3">
                  <span className={at === 0 ? "font-semibold" : ""}>{one.number}</span>
                  <span className="flex-1 text-soft">
                    {when(one.created)}, {one.files} file{one.files === 1 ? "" : "s"}
                  </span>
                  {one.number > 1 && (
                    <Link className="underline" to={`../revisions/${one.number}`}>
                      What changed
                    </Link>
                  )}
                  {at === 0 ? (
                    <span className="text-soft">now</span>
                  ) : (
                    <button
                      className="underline"
                      disabled={busy}
                      onClick={() => change.mutate({ act: "back", number: one.number })}
                    >
                      Back to it
                    </button>
                  )}
                </li>
              ))}
            </ul>
          </section>
        )}
      </div>
    </>
  );
}
