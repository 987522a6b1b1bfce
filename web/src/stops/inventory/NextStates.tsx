import { useState } from "react";

import { useFileChange, useFiles } from "../../api/hooks";
import { Notice } from "../../ui/Notice";

/** Files that came under another name and look like the next state of one that is there: asked, never laid silently beside it. */
export function NextStates({ move, revision }: { move: number; revision: number }) {
  const files = useFiles(move, revision);
  const change = useFileChange(move);
  const [kept, setKept] = useState<string[]>([]);
  const asked = (files.data?.files ?? []).filter(
    (file) => file.place_of && file.revision === revision && !kept.includes(file.path),
  );
  if (!asked.length || revision < 2) return null;
  return (
    <section aria-label="The next state of a file" className="border-b border-base-300 bg-base-100 px-4 py-2">
      {asked.slice(0, 4).map((file) => (
        <div key={file.path} className="py-1">
          <p>
            Is <span className="font-mono text-[12px]">{file.path}</span> the next{" "}
            <span className="font-mono text-[12px]">{file.place_of}</span>?{" "}
            <span className="text-soft">{file.why}.</span>
          </p>
          <div className="mt-1 flex gap-2">
            <button
              className="press press-main"
              disabled={change.isPending}
              title="It keeps the old name, and all that was decided about it"
              onClick={() => change.mutate({ act: "take-place", path: file.path, place_of: file.place_of! })}
            >
              Put it in its place
            </button>
            <button className="press" onClick={() => setKept([...kept, file.path])}>
              Keep both
            </button>
          </div>
        </div>
      ))}
      {asked.length > 4 && <p className="text-soft">{asked.length - 4} more under Files.</p>}
      {change.error && <Notice error={change.error} />}
    </section>
  );
}
