import { useState } from "react";

import { useDecide, useRenamePreview } from "../../api/hooks";
import { Notice } from "../../ui/Notice";

/** Renaming by pattern, shown before it is done. Return pressed before the names have come waits for them. */
export function Rename({ move, ids }: { move: number; ids: string[] }) {
  const decide = useDecide(move);
  const [pattern, setPattern] = useState("{name}");
  const [find, setFind] = useState("");
  const preview = useRenamePreview(move, ids, pattern, find);
  const names = Object.entries(preview.data ?? {});
  const named = async () => {
    const told = await preview.refetch({ cancelRefetch: false });
    const now = Object.entries((told.isSuccess && told.data) || {});
    if (now.length) decide.mutate(now.map(([target, value]) => ({ target, field: "name", value })));
  };
  return (
    <section className="border-t border-base-300 px-4 py-2">
      <h3 className="mb-1">Name</h3>
      <form
        className="flex items-center gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          void named();
        }}
      >
        <input
          className="field min-w-0 flex-1 font-mono text-[12px]"
          aria-label="Name pattern"
          title="{name} is the old name, {n} or {n:03} a running number"
          value={pattern}
          onChange={(event) => setPattern(event.target.value)}
        />
        <input
          className="field w-28 font-mono text-[12px]"
          aria-label="Cut out"
          placeholder="cut out"
          value={find}
          onChange={(event) => setFind(event.target.value)}
        />
        <button className="press" disabled={!ids.length || !pattern || decide.isPending}>
          Rename
        </button>
      </form>
      {preview.error ? (
        <Notice error={preview.error} />
      ) : (
        <p className="mt-1 truncate font-mono text-[12px] text-soft">
          {names
            .slice(0, 4)
            .map(([, name]) => name)
            .join(" · ")}
          {names.length > 4 ? ` · and ${names.length - 4} more` : ""}
        </p>
      )}
    </section>
  );
}
