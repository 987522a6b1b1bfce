import { Link, Navigate, useParams } from "react-router";

import { useRevisionChanges } from "../../api/changes";
import { pictures } from "../../api/client";
import { useFiles } from "../../api/hooks";
import { Changes } from "../../ui/Changes";
import { when } from "../../ui/format";
import { Notice, Waiting } from "../../ui/Notice";
import { useShownMove } from "../MoveShell";

/** What came, went and changed with a revision of the delivery, and what of the decisions no longer applies. */
export function RevisionPage() {
  const move = useShownMove();
  const number = Number(useParams().number);
  const files = useFiles(move.id, move.revision);
  if (!Number.isInteger(number) || number < 1 || number > move.revision)
    return <Navigate to="../inventory" replace />;
  const revisions = files.data?.revisions ?? [];
  return (
    <div className="h-full overflow-y-auto px-7 py-5">
      <div className="flex flex-wrap items-baseline gap-4">
        <h1>Revision {number}</h1>
        <p className="flex-1 text-soft">
          {number === 1 ? "the first delivery" : `as it was delivered, beside revision ${number - 1}`}
        </p>
        <Link className="press" to="../inventory?tab=files">
          Its files
        </Link>
      </div>
      <nav aria-label="Revisions" className="mt-2 flex flex-wrap gap-3 border-b border-base-300 pb-2">
        {revisions.map((one) => (
          <Link
            key={one.number}
            to={`../revisions/${one.number}`}
            aria-current={one.number === number ? "page" : undefined}
            className={one.number === number ? "font-semibold" : "underline"}
          >
            {one.number} <span className="font-normal text-soft">{when(one.created)}</span>
          </Link>
        ))}
      </nav>
      {number === 1 ? (
        <p className="py-3 text-soft">
          There is nothing before it to compare it with. Drop a changed delivery or a changed file on this
          move: it becomes revision {move.revision + 1}, and everything decided stays.
        </p>
      ) : (
        <Since move={move.id} number={number} />
      )}
    </div>
  );
}

function Since({ move, number }: { move: number; number: number }) {
  const changes = useRevisionChanges(move, number);
  if (changes.isPending) return <Waiting text="Comparing with the revision before…" />;
  if (changes.error) return <Notice error={changes.error} onRetry={() => void changes.refetch()} />;
  return (
    <>
      <Changes
        data={changes.data}
        pictureOf={(side, path) => pictures.revision(move, side === "after" ? number : number - 1, path, 320)}
      />
      {!changes.data.known && (
        <p className="mt-2 text-soft">
          Its parts and materials are not compared: it is still being read, or was read before revisions were.
        </p>
      )}
    </>
  );
}
