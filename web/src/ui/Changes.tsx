import { useState } from "react";

import type { ChangedThing, Changes as ChangesData, FileChange } from "../api/changes";
import { bytes } from "./format";
import { Wiped } from "./Wiped";

const IMAGE = /\.(png|jpe?g|exr|tiff?|tga|webp|ktx2|dds)$/i;
const HOW = { came: "new", went: "gone", changed: "changed" } as const;
const MOST = 80;

/** What came, went and changed between two states: things, then files, images with a line to wipe by. */
export function Changes({
  data,
  pictureOf,
}: {
  data: ChangesData;
  /** A picture of an image file as it was before, or is after. */
  pictureOf: (side: "before" | "after", path: string) => string;
}) {
  const images = data.files.filter((file) => IMAGE.test(file.path));
  if (!data.things.length && !data.files.length)
    return (
      <p className="py-2 text-soft">
        Nothing is different between {data.before} and {data.after}.
      </p>
    );
  return (
    <div className="py-2">
      <p className="text-soft">
        From {data.before} to {data.after}: {counted(data.things, data.known)}; {data.same_files} file
        {data.same_files === 1 ? "" : "s"} the same, {data.files.length} not.
        {data.idle > 0 && ` ${data.idle} decision${data.idle === 1 ? "" : "s"} apply to nothing any more.`}
      </p>
      {images.length > 0 && (
        <ul className="mt-2 grid grid-cols-[repeat(auto-fill,minmax(150px,1fr))] gap-3">
          {images.map((file) => (
            <li key={file.path}>
              <Picture file={file} pictureOf={pictureOf} />
              <p className="truncate font-mono text-[12px]" title={file.path}>
                {file.path}
              </p>
              <p className="text-[12px] text-soft">{sizes(file)}</p>
            </li>
          ))}
        </ul>
      )}
      <Things things={data.things} />
      <ul className="mt-2">
        {data.files
          .filter((file) => !IMAGE.test(file.path))
          .map((file) => (
            <li key={file.path} className="flex gap-3 border-b border-base-300 py-1">
              <span className="min-w-0 flex-1 truncate font-mono text-[12px]">{file.path}</span>
              <span className="text-[12px] text-soft">{sizes(file)}</span>
            </li>
          ))}
      </ul>
    </div>
  );
}

function counted(things: ChangedThing[], known: boolean) {
  if (!known) return "what is in it was not compared";
  const count = (how: ChangedThing["how"]) => things.filter((thing) => thing.how === how).length;
  return `${count("changed")} changed, ${count("came")} new, ${count("went")} gone`;
}

function sizes(file: FileChange) {
  if (file.how === "came") return `new, ${bytes(file.after)}`;
  if (file.how === "went") return `gone, ${bytes(file.before)}`;
  return `${bytes(file.before)} → ${bytes(file.after)}`;
}

function Picture({
  file,
  pictureOf,
}: {
  file: FileChange;
  pictureOf: (side: "before" | "after", path: string) => string;
}) {
  if (file.how === "changed")
    return (
      <Wiped
        label={file.path}
        before={pictureOf("before", file.path)}
        after={pictureOf("after", file.path)}
      />
    );
  return (
    <div className="aspect-square bg-booth">
      <img
        alt={file.path}
        src={pictureOf(file.how === "came" ? "after" : "before", file.path)}
        loading="lazy"
        className="h-full w-full object-contain"
      />
    </div>
  );
}

function Things({ things }: { things: ChangedThing[] }) {
  const [all, setAll] = useState(false);
  if (!things.length) return null;
  return (
    <table className="mt-3 w-full border-collapse text-[12px]">
      <caption className="sr-only">Things that changed</caption>
      <tbody>
        {things.slice(0, all ? undefined : MOST).map((thing) => (
          <tr
            key={`${thing.kind} ${thing.id} ${thing.how}`}
            className="border-b border-base-300 align-baseline"
          >
            <th scope="row" className="py-1 pr-3 text-left font-semibold">
              {thing.name || thing.id} <span className="font-normal text-soft">{thing.kind}</span>
            </th>
            <td className="py-1">
              {thing.lines.length === 0
                ? HOW[thing.how]
                : thing.lines.map((line) => (
                    <span key={line.key} className="block">
                      {line.key}:{" "}
                      <span className="font-mono text-soft line-through">{line.before || "nothing"}</span>{" "}
                      <span className="font-mono">{line.after || "nothing"}</span>
                    </span>
                  ))}
            </td>
          </tr>
        ))}
        {!all && things.length > MOST && (
          <tr>
            <td colSpan={2} className="py-1">
              <button className="underline" onClick={() => setAll(true)}>
                {things.length - MOST} more
              </button>
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}
