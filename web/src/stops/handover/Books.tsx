import { useState } from "react";

import type { AccountEntry, Accounts } from "../../api/client";
import { Mark, type MarkName } from "../../ui/Mark";

const MARKS: readonly MarkName[] = ["exact", "close", "lost", "blocked", "unaccounted"];
const WORDS: Record<string, string> = { lost: "lost, told" };

/** One line: everything that was sent, and how it arrived. */
export function Balance({ data }: { data: Accounts }) {
  return (
    <div className="mt-3 flex items-start justify-between gap-6 border-y border-base-content py-2">
      <dl className="flex gap-6">
        <Figure word="sent" count={data.sent} />
        {MARKS.filter(
          (mark) => (data.counts[mark] ?? 0) > 0 || mark === "exact" || mark === "unaccounted",
        ).map((mark) => (
          <Figure key={mark} word={WORDS[mark] ?? mark} count={data.counts[mark] ?? 0} mark={mark} />
        ))}
      </dl>
      <p className="max-w-[230px] text-right text-soft">{data.things}</p>
    </div>
  );
}

function Figure({ word, count, mark }: { word: string; count: number; mark?: MarkName }) {
  const wrong = mark === "unaccounted" && count > 0;
  return (
    <div className="flex flex-col-reverse">
      <dt className={`flex items-center gap-1.5 ${wrong ? "text-primary" : "text-soft"}`}>
        {mark && <Mark mark={mark} />} {word}
      </dt>
      <dd
        className={`tight text-[24px] leading-tight font-bold ${wrong ? "text-primary" : ""}`}
        data-testid={`count-${mark ?? "sent"}`}
      >
        {count}
      </dd>
    </div>
  );
}

/** What nothing explains, first and in madder: it keeps the package back until its cause is mended or a word is given. */
export function NotExplained({
  entries,
  onMeant,
  onWhy,
  busy,
}: {
  entries: AccountEntry[];
  onMeant: (entry: AccountEntry, meant: boolean) => void;
  onWhy: (entry: AccountEntry) => void;
  busy: boolean;
}) {
  if (entries.length === 0) return null;
  return (
    <section aria-label="Not explained by anything" className="mt-4">
      <h2>
        Not explained by anything{" "}
        <span className="font-normal text-soft">delivered only with a word from you</span>
      </h2>
      <ul className="mt-2">
        {entries.map((entry) => (
          <li
            key={entry.key}
            className="grid grid-cols-[1fr_1fr_auto] items-center gap-3 border-b border-base-300 border-l-[3px] border-l-primary bg-primary/8 py-2 pl-3"
          >
            <p>
              <b>{entry.title}</b>
              <span className="block font-mono text-[12px]">{entry.sent}</span>
            </p>
            <p>
              <b>{entry.arrived || "nothing"}</b>
              <span className="block text-[12px] text-soft">
                {entry.meant ? "meant, as you said" : entry.reason}
              </span>
            </p>
            <p className="flex gap-2 pr-2">
              <button className="press" onClick={() => onWhy(entry)}>
                Go to it
              </button>
              <button
                className="press"
                aria-pressed={entry.meant}
                disabled={busy}
                onClick={() => onMeant(entry, !entry.meant)}
              >
                {entry.meant ? "Not meant" : "Say it is meant"}
              </button>
            </p>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** A line a kind; pressed, everything of it that did not arrive as it was sent. */
export function ByKind({ data }: { data: Accounts }) {
  const [open, setOpen] = useState<string | null>(null);
  return (
    <table className="mt-4 w-full border-collapse">
      <caption className="sr-only">What was sent and how it arrived, by kind</caption>
      <thead>
        <tr className="text-left text-soft">
          <th className="py-1.5 font-normal">sent</th>
          {["exact", "close", "lost", "not told"].map((word) => (
            <th key={word} className="w-[62px] py-1.5 pr-2 text-right font-normal">
              {word}
            </th>
          ))}
          <th className="w-[46%] border-l border-base-content py-1.5 pl-3 font-normal">arrived as</th>
        </tr>
      </thead>
      <tbody>
        {data.kinds.map((kind) => {
          const entries = data.entries.filter((entry) => entry.kind === kind.kind);
          const shown = open === kind.kind;
          return [
            <tr key={kind.kind} className="border-t border-base-300">
              <td className="py-2">
                {entries.length > 0 ? (
                  <button
                    className="text-left underline"
                    aria-expanded={shown}
                    onClick={() => setOpen(shown ? null : kind.kind)}
                  >
                    {kind.label}
                  </button>
                ) : (
                  kind.label
                )}
              </td>
              {(["exact", "close", "lost", "unaccounted"] as const).map((mark) => {
                const count = (kind.counts[mark] ?? 0) + (mark === "lost" ? (kind.counts.blocked ?? 0) : 0);
                return (
                  <td
                    key={mark}
                    className={`py-2 pr-2 text-right font-mono ${mark === "unaccounted" && count ? "font-semibold text-primary" : ""}`}
                  >
                    {count || (mark === "exact" ? 0 : "")}
                  </td>
                );
              })}
              <td className="border-l border-base-content py-2 pl-3">{kind.told || "as it was sent"}</td>
            </tr>,
            shown && (
              <tr key={`${kind.kind} entries`}>
                <td colSpan={6} className="p-0">
                  <Entries entries={entries} />
                </td>
              </tr>
            ),
          ];
        })}
      </tbody>
    </table>
  );
}

const SHOWN = 60;

function Entries({ entries }: { entries: AccountEntry[] }) {
  const [all, setAll] = useState(false);
  return (
    <ul className="border-t border-base-300 bg-base-100 px-3 py-1">
      {entries.slice(0, all ? undefined : SHOWN).map((entry) => (
        <li
          key={entry.key}
          className="grid grid-cols-[14px_1fr_1fr] items-baseline gap-2 border-b border-base-300 py-1 last:border-b-0"
        >
          <Mark mark={entry.mark} />
          <span>
            {entry.title} <span className="block font-mono text-[12px] text-soft">{entry.sent}</span>
          </span>
          <span>
            <span className="font-mono text-[12px]">{entry.arrived || "nothing"}</span>{" "}
            <span className="block text-[12px] text-soft">{entry.reason}</span>
          </span>
        </li>
      ))}
      {!all && entries.length > SHOWN && (
        <li className="py-1">
          <button className="underline" onClick={() => setAll(true)}>
            {entries.length - SHOWN} more
          </button>
        </li>
      )}
    </ul>
  );
}
