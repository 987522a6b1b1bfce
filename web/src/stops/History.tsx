import { useBackTo, useHistory } from "../api/hooks";
import { Notice, Waiting } from "../ui/Notice";
import { SidePanel } from "../ui/SidePanel";

/** Every decision in words, newest first; going back to one undoes what came after it. */
export function History({ move, onClose }: { move: number; onClose: () => void }) {
  const history = useHistory(move);
  const back = useBackTo(move);
  const rows = [...(history.data ?? [])].reverse();
  const here = rows.find((row) => !row.undone)?.batch ?? 0;
  return (
    <SidePanel title="History" width="w-[380px]" onClose={onClose}>
      {history.isPending && <Waiting text="Fetching…" />}
      {history.error && <Notice error={history.error} />}
      {back.error && <Notice error={back.error} />}
      <ol className="min-h-0 overflow-y-auto">
        {rows.map((row) => (
          <li
            key={row.batch}
            className={`border-b border-base-300 ${row.batch === here ? "shadow-[inset_3px_0_0_var(--color-primary)]" : ""}`}
          >
            <button
              className="w-full px-4 py-2 text-left hover:bg-base-200 disabled:opacity-60"
              disabled={back.isPending || row.batch === here}
              aria-current={row.batch === here ? "step" : undefined}
              onClick={() => back.mutate(row.batch)}
            >
              <span className={row.undone ? "text-soft line-through" : ""}>
                {row.words.map((words, at) => (
                  <span key={at} className="block">
                    {words}
                  </span>
                ))}
                {row.count > row.words.length && (
                  <span className="block">and {row.count - row.words.length} more</span>
                )}
              </span>
              <span className="block text-[12px] text-soft">
                {row.by && `${row.by} · `}
                {new Date(row.created).toLocaleString()}
                {row.undone ? " · undone" : row.batch === here ? " · here" : ""}
                {row.idle > 0 && (
                  <span className="text-base-content">
                    {" "}
                    ·{" "}
                    {row.idle === row.count
                      ? "does nothing any more: what it was about is gone"
                      : `${row.idle} of ${row.count} do nothing any more`}
                  </span>
                )}
              </span>
            </button>
          </li>
        ))}
        <li>
          <button
            className="w-full px-4 py-2 text-left hover:bg-base-200 disabled:opacity-60"
            disabled={back.isPending || here === 0}
            onClick={() => back.mutate(0)}
          >
            As it was received
          </button>
        </li>
      </ol>
    </SidePanel>
  );
}
