import { useState } from "react";

import { Choice } from "../ui/Choice";
import { when } from "../ui/format";
import { Notice, Waiting } from "../ui/Notice";
import { SidePanel } from "../ui/SidePanel";
import { usePeople, useSession, useSharing, useSharingActs } from "./session";

const LEVELS = [
  ["look", "may look"],
  ["work", "may work on it"],
] as const;
const DAYS = [
  [2, "2 days"],
  [14, "14 days"],
  [90, "90 days"],
] as const;

/** With whom a move is shared, and the links that show its report and proof. */
export function Sharing({ move, may, onClose }: { move: number; may: string; onClose: () => void }) {
  const sharing = useSharing(move);
  const act = useSharingActs(move);
  const own = may === "own";
  return (
    <SidePanel title="Sharing" width="w-[400px]" onClose={onClose}>
      <div className="min-h-0 overflow-y-auto pb-4">
        {sharing.isPending && <Waiting text="Fetching…" />}
        {(sharing.error ?? act.error) && <Notice error={sharing.error ?? act.error} />}
        {sharing.data && (
          <>
            <p className="px-4 pt-3 text-soft">
              {sharing.data.owner ? `This move is ${sharing.data.owner}’s.` : "This move belongs to nobody."}
            </p>
            <ul className="mt-2">
              {sharing.data.shares.map((one) => (
                <li key={one.person} className="flex items-center gap-2 border-b border-base-300 px-4 py-1.5">
                  <span className="min-w-0 flex-1 truncate font-semibold">{one.person}</span>
                  {own ? (
                    <>
                      <select
                        className="field"
                        aria-label={`What ${one.person} may do`}
                        value={one.level}
                        onChange={(event) =>
                          act.mutate({ person: one.person, level: event.target.value as "look" | "work" })
                        }
                      >
                        {LEVELS.map(([level, words]) => (
                          <option key={level} value={level}>
                            {words}
                          </option>
                        ))}
                      </select>
                      <button
                        className="press h-[22px] px-2"
                        onClick={() => act.mutate({ person: one.person, level: "none" })}
                        aria-label={`Stop sharing with ${one.person}`}
                      >
                        Stop
                      </button>
                    </>
                  ) : (
                    <span className="text-soft">{LEVELS.find(([level]) => level === one.level)?.[1]}</span>
                  )}
                </li>
              ))}
            </ul>
            {own && <Add move={move} taken={sharing.data.shares.map((one) => one.person)} />}
            {own && <Links move={move} links={sharing.data.links} />}
          </>
        )}
      </div>
    </SidePanel>
  );
}

function Add({ move, taken }: { move: number; taken: string[] }) {
  const people = usePeople();
  const session = useSession();
  const act = useSharingActs(move);
  const [person, setPerson] = useState("");
  const [level, setLevel] = useState<"look" | "work">("work");
  const free = (people.data ?? []).filter((name) => name !== session.data?.person && !taken.includes(name));
  const chosen = free.includes(person) ? person : (free[0] ?? "");
  if (people.data && free.length === 0)
    return <p className="px-4 pt-3 text-soft">There is nobody else to share it with.</p>;
  return (
    <div className="flex items-end gap-2 px-4 pt-3">
      <Choice
        label="Share with"
        value={chosen}
        options={free.map((name) => [name, name] as const)}
        onChange={setPerson}
        wide="w-36"
      />
      <Choice
        label="What they may do"
        value={level}
        options={LEVELS}
        onChange={(value) => setLevel(value as "look" | "work")}
      />
      <button
        className="press"
        disabled={!chosen || act.isPending}
        onClick={() => act.mutate({ person: chosen, level })}
      >
        Share
      </button>
    </div>
  );
}

function Links({
  move,
  links,
}: {
  move: number;
  links: { id: number; path: string; ends: string; ended: boolean }[];
}) {
  const act = useSharingActs(move);
  const [days, setDays] = useState(14);
  const [copied, setCopied] = useState<number | null>(null);
  async function copy(id: number, path: string) {
    await navigator.clipboard.writeText(`${location.origin}${path}`);
    setCopied(id);
  }
  return (
    <section className="mt-5 border-t border-base-300">
      <h3 className="px-4 pt-3">Links</h3>
      <p className="px-4 text-soft">
        Whoever has one sees report and proof, nothing else, until it runs out.
      </p>
      <ul className="mt-2">
        {links.map((link) => (
          <li key={link.id} className="flex items-center gap-2 border-b border-base-300 px-4 py-1.5">
            <a
              href={link.path}
              className="min-w-0 flex-1 truncate font-mono text-[12px] hover:underline"
              target="_blank"
              rel="noreferrer"
            >
              {link.path}
            </a>
            <span className="shrink-0 text-[12px] text-soft">
              {link.ended ? "has run out" : `until ${when(link.ends)}`}
            </span>
            {!link.ended && (
              <button className="press h-[22px] px-2" onClick={() => void copy(link.id, link.path)}>
                {copied === link.id ? "Copied" : "Copy"}
              </button>
            )}
            <button
              className="press h-[22px] px-2"
              onClick={() => act.mutate({ withdraw: link.id })}
              aria-label={`Withdraw ${link.path}`}
            >
              Withdraw
            </button>
          </li>
        ))}
      </ul>
      <div className="flex items-end gap-2 px-4 pt-3">
        <Choice label="Good for" value={days} options={DAYS} onChange={(value) => setDays(Number(value))} />
        <button className="press" disabled={act.isPending} onClick={() => act.mutate({ days })}>
          Make a link
        </button>
      </div>
    </section>
  );
}
