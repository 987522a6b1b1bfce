import { useQueryClient } from "@tanstack/react-query";
import { useMemo, useRef, useState } from "react";

import { type Finding, type Move, pictures, upload } from "../../api/client";
import { useDecide } from "../../api/hooks";
import { Notice } from "../../ui/Notice";

interface Props {
  move: number;
  findings: Finding[];
  chosen: string[];
  surveyed: boolean;
  shown: string | null;
  onShow: (finding: Finding) => void;
}

const GROUPED = 3;
const FIRST = 40;

/** Findings by what they would cost on arrival; each says what, where and why, and has one main action. Many of a kind stand under one heading. */
export function Findings({ move, findings, surveyed, chosen, shown, onShow }: Props) {
  const decide = useDecide(move);
  const [done, setDone] = useState(false);
  const [words, setWords] = useState("");
  const open = findings.filter((finding) => finding.state === "open");
  const listed = useMemo(() => {
    const wanted = words.trim().toLowerCase();
    return findings.filter(
      (finding) =>
        (finding.state === "open") !== done &&
        (!wanted || `${finding.title} ${finding.where}`.toLowerCase().includes(wanted)),
    );
  }, [findings, done, words]);
  const groups = useMemo(() => {
    const byKind = new Map<string, Finding[]>();
    for (const finding of listed) byKind.set(finding.kind, [...(byKind.get(finding.kind) ?? []), finding]);
    return [...byKind.values()];
  }, [listed]);
  const repairs = open.filter((finding) => finding.mends[0]?.nature === "repair");
  const guesses = open.filter((finding) => finding.mends[0]?.nature === "guess").length;
  const one = (finding: Finding, main: boolean) => (
    <Row
      key={finding.id}
      move={move}
      finding={finding}
      main={main}
      chosen={
        shown === finding.id || (shown === null && chosen.length > 0 && finding.targets.includes(chosen[0]!))
      }
      busy={decide.isPending}
      onPick={() => onShow(finding)}
      onMend={(which) => decide.mutate(finding.mends[which]!.decisions)}
      onAccept={(accepted) => decide.mutate([{ target: finding.id, field: "accept", value: accepted }])}
    />
  );
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="flex items-center gap-2 border-b border-base-300 px-4 py-2">
        <button
          className={`underline-offset-4 ${done ? "text-soft" : "font-semibold underline"}`}
          onClick={() => setDone(false)}
        >
          Open {open.length}
        </button>
        <button
          className={`underline-offset-4 ${done ? "font-semibold underline" : "text-soft"}`}
          onClick={() => setDone(true)}
        >
          Mended or accepted {findings.length - open.length}
        </button>
        {findings.length > 6 && (
          <input
            type="search"
            className="field h-7 min-w-0 flex-1"
            placeholder="Filter"
            aria-label="Filter findings"
            value={words}
            onChange={(event) => setWords(event.target.value)}
          />
        )}
        {findings.length <= 6 && <span className="flex-1" />}
        {!done && repairs.length > 0 && (
          <button
            className="press shrink-0"
            title="Repairs cannot change what was meant"
            disabled={decide.isPending}
            onClick={() => decide.mutate(repairs.flatMap((finding) => finding.mends[0]!.decisions))}
          >
            Mend {repairs.length === 1 ? "1 repair" : `all ${repairs.length} repairs`}
          </button>
        )}
      </div>
      {!done && guesses > 0 && (
        <p className="border-b border-base-300 px-4 py-1.5 text-soft">
          {guesses === 1 ? "1 guess is" : `${guesses} guesses are`} left to be looked at: each shows its
          evidence, and is taken by itself.
        </p>
      )}
      {decide.error && <Notice error={decide.error} />}
      {!surveyed && (
        <p role="status" className="border-b border-base-300 bg-base-100 px-4 py-2">
          Structure is known. Faces, images and what is seen from where are still being looked at; more
          findings may follow.
        </p>
      )}
      <ul className="min-h-0 flex-1 overflow-y-auto" aria-label="Findings">
        {listed.length === 0 && (
          <li className="p-4 text-soft">
            {words
              ? "Nothing matches the filter."
              : done
                ? "Nothing was mended or accepted yet."
                : "Nothing is open. The delivery is as it should be."}
          </li>
        )}
        {groups.map((group, at) =>
          group.length > GROUPED ? (
            <Kind
              key={group[0]!.kind}
              group={group}
              done={done}
              busy={decide.isPending}
              onMend={() =>
                decide.mutate(group.filter((f) => f.mends.length).flatMap((f) => f.mends[0]!.decisions))
              }
              onAccept={() =>
                decide.mutate(group.map((f) => ({ target: f.id, field: "accept", value: true })))
              }
            >
              {(most) => group.slice(0, most).map((finding) => one(finding, false))}
            </Kind>
          ) : (
            group.map((finding, number) => one(finding, at === 0 && number === 0 && !done))
          ),
        )}
      </ul>
    </div>
  );
}

function Kind({
  group,
  done,
  busy,
  onMend,
  onAccept,
  children,
}: {
  group: Finding[];
  done: boolean;
  busy: boolean;
  onMend: () => void;
  onAccept: () => void;
  children: (most: number) => React.ReactNode;
}) {
  const [wide, setWide] = useState(false);
  const [most, setMost] = useState(FIRST);
  const first = group[0]!;
  const mends = group.filter((finding) => finding.mends.length).length;
  return (
    <li className="border-b border-base-300">
      <div className="flex items-center gap-3 px-4 py-2.5">
        <button className="min-w-0 flex-1 text-left" aria-expanded={wide} onClick={() => setWide(!wide)}>
          <span className="block text-[14px] font-semibold">
            {first.title} <span className="font-mono text-[12px] font-normal">× {group.length}</span>
          </span>
          <span className="block text-soft">{first.consequence}</span>
          <span className="text-[12px] underline">{wide ? "Fold" : "Show each"}</span>
        </button>
        {!done && (
          <button className="press shrink-0" disabled={busy} onClick={mends ? onMend : onAccept}>
            {mends ? `Mend all ${mends}` : `Accept all ${group.length}`}
          </button>
        )}
      </div>
      {wide && (
        <ul className="border-t border-base-300 pl-3">
          {children(most)}
          {group.length > most && (
            <li className="p-3">
              <button className="press" onClick={() => setMost(most + 200)}>
                {group.length - most} more
              </button>
            </li>
          )}
        </ul>
      )}
    </li>
  );
}

function Row({
  move,
  finding,
  main,
  chosen,
  busy,
  onPick,
  onMend,
  onAccept,
}: {
  move: number;
  finding: Finding;
  main: boolean;
  chosen: boolean;
  busy: boolean;
  onPick: () => void;
  onMend: (which: number) => void;
  onAccept: (accepted: boolean) => void;
}) {
  const [more, setMore] = useState(false);
  const tint = finding.kind === "leftover_tint" && finding.evidence.srgb ? finding.evidence.srgb : null;
  const first = finding.mends[0];
  const candidate = finding.kind === "missing_image" ? finding.evidence.candidates?.[0] : undefined;
  return (
    <li
      className={`border-b border-base-300 px-4 py-2.5 ${chosen ? "bg-base-100 shadow-[inset_3px_0_0_var(--color-primary)]" : ""}`}
    >
      <div className="flex items-start gap-3">
        {candidate && (
          <img
            src={pictures.image(move, candidate.image, 64)}
            alt="the candidate"
            className="h-12 w-12 border border-base-300 bg-booth object-cover"
          />
        )}
        {tint && (
          <span
            className="mt-1 h-4 w-4 shrink-0 border border-base-content"
            style={{ background: `rgb(${tint.map((v) => Math.round(v * 255)).join(" ")})` }}
            title="the tint"
          />
        )}
        <button className="min-w-0 flex-1 text-left" onClick={onPick}>
          <span className="block text-[14px] font-semibold">{finding.title}</span>
          <span className="block font-mono text-[12px] break-words text-soft">{finding.where}</span>
          <span className="mt-0.5 block">{finding.consequence}</span>
        </button>
        <div className="flex max-w-[150px] shrink-0 flex-col items-end gap-1">
          {finding.state === "open" && first && (
            <button className={`press ${main ? "press-main" : ""}`} disabled={busy} onClick={() => onMend(0)}>
              {first.label}
            </button>
          )}
          {finding.state === "open" && first && first.nature !== "repair" && (
            <span className="text-[12px] text-soft">
              {first.nature === "guess" ? "a guess" : "a matter of taste"}
            </span>
          )}
          {finding.state === "open" && !first && (
            <button className="press" disabled={busy} onClick={() => onAccept(true)}>
              Accept
            </button>
          )}
          {finding.state !== "open" && <span className="plate">{finding.state}</span>}
          {finding.state === "accepted" && (
            <button className="underline" disabled={busy} onClick={() => onAccept(false)}>
              Open again
            </button>
          )}
          {finding.state === "open" && (first || finding.kind === "missing_image") && (
            <button
              className="min-h-6 text-[12px] text-soft underline"
              aria-expanded={more}
              onClick={() => setMore(!more)}
            >
              {more ? "Less" : "Other ways"}
            </button>
          )}
        </div>
      </div>
      {more && (
        <div className="mt-2 flex flex-wrap gap-1.5">
          {finding.mends.slice(1).map((mend, at) => (
            <button key={mend.label} className="press" disabled={busy} onClick={() => onMend(at + 1)}>
              {mend.label}
            </button>
          ))}
          {first && (
            <button className="press" disabled={busy} onClick={() => onAccept(true)}>
              Accept as it is
            </button>
          )}
          {finding.kind === "missing_image" && <DropMore move={move} />}
        </div>
      )}
    </li>
  );
}

/** More files for the same move: the missing image, found on another disk. */
export function DropMore({ move, label = "Add the file…" }: { move: number; label?: string }) {
  const chooser = useRef<HTMLInputElement>(null);
  const client = useQueryClient();
  const [error, setError] = useState<unknown>(null);
  async function add(files: FileList | null) {
    if (!files?.length) return;
    try {
      await upload<Move>(
        `/moves/${move}/files`,
        [...files].map((file) => ({ path: file.name, file })),
        {},
        () => undefined,
      );
      await client.invalidateQueries({ queryKey: ["move", move] });
    } catch (fault) {
      setError(fault);
    }
  }
  return (
    <>
      <button className="press" onClick={() => chooser.current?.click()}>
        {label}
      </button>
      <input ref={chooser} type="file" multiple hidden onChange={(event) => void add(event.target.files)} />
      {error !== null && <Notice error={error} />}
    </>
  );
}
