import { Link } from "react-router";

import { type Handover, pictures } from "../../api/client";
import { bytes } from "../../ui/format";

const PICTURED = /\.(png|jpe?g|exr|ktx2|dds)$/i;

/** The package as it lies on disk, heaviest first: a picture, what each file is for, and its share of the whole. */
export function OnDisk({ handover }: { handover: Handover }) {
  const files = [...handover.files].sort((a, b) => b.size - a.size);
  const total = files.reduce((sum, file) => sum + file.size, 0);
  return (
    <section aria-label="On disk" className="flex min-h-0 flex-1 flex-col px-[18px] pb-3">
      <p className="pb-2 text-soft">
        {files.length} file{files.length === 1 ? "" : "s"}, {bytes(total)}; heaviest first.{" "}
        <Link className="underline" to="../fit?show=budget">
          Make it smaller
        </Link>
      </p>
      <ul className="min-h-0 flex-1 overflow-y-auto" tabIndex={0} aria-label="Files">
        {files.map((file) => (
          <li key={file.path} className="grid grid-cols-[44px_1fr] gap-x-2.5 border-b border-base-300 py-1">
            <div className="h-9 w-11 bg-booth">
              {PICTURED.test(file.path) && (
                <img
                  alt=""
                  src={pictures.delivered(handover.id, file.path)}
                  className="h-full w-full object-cover"
                  loading="lazy"
                />
              )}
            </div>
            <div className="min-w-0">
              <p className="flex items-baseline justify-between gap-3 font-mono text-[12px]">
                <span className="truncate" title={file.path}>
                  {file.path}
                </span>
                <span className="shrink-0">{bytes(file.size)}</span>
              </p>
              <p className="truncate text-[12px] text-soft" title={file.purpose}>
                {file.purpose || "\u00a0"}
              </p>
              <div
                aria-hidden
                className="h-[2px] bg-base-content"
                style={{ width: `${share(file.size, total)}%` }}
              />
            </div>
          </li>
        ))}
      </ul>
      <details className="pt-2">
        <summary className="cursor-pointer text-soft">What is in it, as text</summary>
        <pre
          tabIndex={0}
          aria-label="Contents"
          className="mt-1 max-h-64 overflow-auto font-mono text-[11px] leading-[1.6] whitespace-pre-wrap"
        >
          {handover.packing_list}
        </pre>
      </details>
    </section>
  );
}

const share = (size: number, total: number) => (total > 0 ? Math.max(0.5, (100 * size) / total) : 0);
