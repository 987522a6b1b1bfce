import { useState } from "react";

import { isMisread, type ListThing, useHandBack, usePackingList } from "../../api/packing";
import { Notice, Waiting } from "../../ui/Notice";

const KINDS: [string, string][] = [
  ["", "everything"],
  ["part", "parts"],
  ["material", "materials"],
  ["lamp", "lamps"],
  ["camera", "cameras"],
  ["scene", "the scene"],
];
/** So many things are set at most; more are found by searching. */
const MOST = 120;

/** The packing list as it stands: read as a document, changed in place or as text, and handed back. */
export function PackingList({ move }: { move: number }) {
  const list = usePackingList(move);
  const [asText, setAsText] = useState(false);
  if (list.isPending) return <Waiting text="Writing the packing list…" />;
  if (list.error) return <Notice error={list.error} onRetry={() => void list.refetch()} />;
  return asText ? (
    <AsText key={list.data.text} move={move} text={list.data.text} onDone={() => setAsText(false)} />
  ) : (
    <AsDocument move={move} things={list.data.things} onText={() => setAsText(true)} />
  );
}

function AsDocument({ move, things, onText }: { move: number; things: ListThing[]; onText: () => void }) {
  const [sought, setSought] = useState("");
  const [kind, setKind] = useState("");
  const word = sought.trim().toLowerCase();
  const found = things.filter(
    (thing) =>
      (!kind || thing.kind === kind) &&
      (!word ||
        thing.name.toLowerCase().includes(word) ||
        Object.entries(thing.says).some(([key, value]) => `${key}: ${value}`.toLowerCase().includes(word))),
  );
  return (
    <>
      <div className="flex items-center gap-2 px-[18px] pb-2">
        <input
          className="field h-6 min-w-0 flex-1"
          aria-label="Search the packing list"
          placeholder="search"
          value={sought}
          onChange={(event) => setSought(event.target.value)}
        />
        <select
          className="field h-6"
          aria-label="What is listed"
          value={kind}
          onChange={(event) => setKind(event.target.value)}
        >
          {KINDS.map(([key, words]) => (
            <option key={key} value={key}>
              {words}
            </option>
          ))}
        </select>
        <button className="press h-6 px-2" onClick={onText}>
          As text
        </button>
      </div>
      <div className="min-h-0 flex-1 overflow-y-auto px-[18px] pb-3" role="list" aria-label="Packing list">
        {found.slice(0, MOST).map((thing) => (
          <Thing key={`${thing.kind} ${thing.id}`} move={move} thing={thing} open={found.length < 6} />
        ))}
        {found.length > MOST && (
          <p className="py-2 text-soft">{found.length - MOST} more: search for them, or read the text.</p>
        )}
        {!found.length && <p className="py-2 text-soft">Nothing in the list says “{sought}”.</p>}
      </div>
    </>
  );
}

function Thing({ move, thing, open }: { move: number; thing: ListThing; open: boolean }) {
  return (
    <details role="listitem" open={open} className="border-b border-base-300 py-1">
      <summary className="cursor-pointer">
        <span className="font-semibold">{thing.name || thing.kind}</span>{" "}
        <span className="text-[12px] text-soft">{thing.kind}</span>
      </summary>
      <dl className="mt-1 mb-1.5 grid grid-cols-[130px_1fr] gap-x-2 gap-y-0.5">
        {Object.entries(thing.says).map(([key, value]) => (
          <Line key={`${key} ${value}`} move={move} thing={thing} name={key} value={value} />
        ))}
      </dl>
    </details>
  );
}

/** One line, changed where it stands: the same grammar as in the text. */
function Line({ move, thing, name, value }: { move: number; thing: ListThing; name: string; value: string }) {
  const hand = useHandBack(move);
  const [text, setText] = useState(value);
  const put = () => {
    if (text.trim() !== value)
      hand.mutate({
        text: JSON.stringify({ things: [{ ...thing, says: { [name]: text } }] }),
        try_only: false,
      });
  };
  const misread = hand.data?.misread[0];
  return (
    <div className="contents">
      <dt className="truncate pt-0.5 text-[12px] text-soft" title={name}>
        {name}
      </dt>
      <dd>
        <input
          className="w-full border-b border-transparent bg-transparent font-mono text-[12px] hover:border-base-300 focus:border-base-content"
          aria-label={`${thing.name || thing.kind}, ${name}`}
          aria-invalid={misread !== undefined}
          value={text}
          disabled={hand.isPending}
          onChange={(event) => setText(event.target.value)}
          onBlur={put}
          onKeyDown={(event) => {
            if (event.key === "Enter") event.currentTarget.blur();
            else if (event.key === "Escape") setText(value);
          }}
        />
        {(misread ?? hand.error) && (
          <span role="alert" className="block text-[12px] text-primary">
            {misread ? misread.remedy : hand.error!.message}
          </span>
        )}
      </dd>
    </div>
  );
}

function AsText({ move, text, onDone }: { move: number; text: string; onDone: () => void }) {
  const hand = useHandBack(move);
  const [mine, setMine] = useState(text);
  const told = hand.data;
  return (
    <div className="flex min-h-0 flex-1 flex-col px-[18px] pb-3">
      <div className="flex flex-wrap items-center gap-2 pb-2">
        <button
          className="press press-main h-6 px-2"
          disabled={hand.isPending || mine === text}
          onClick={() => hand.mutate({ text: mine, try_only: false })}
        >
          Hand it back
        </button>
        <button
          className="press h-6 px-2"
          disabled={hand.isPending || mine === text}
          onClick={() => hand.mutate({ text: mine, try_only: true })}
        >
          What would change?
        </button>
        <a
          className="press inline-flex h-6 items-center px-2"
          download="packing-list.txt"
          href={`data:text/plain;charset=utf-8,${encodeURIComponent(mine)}`}
        >
          Save
        </a>
        <label className="press inline-flex h-6 cursor-pointer items-center px-2">
          From a file…
          <input
            type="file"
            className="sr-only"
            aria-label="A packing list that was changed elsewhere"
            accept=".txt,.json,text/plain"
            onChange={(event) => {
              const file = event.target.files?.[0];
              if (file) void file.text().then(setMine);
              event.target.value = "";
            }}
          />
        </label>
        <button className="press h-6 px-2" onClick={onDone}>
          As a document
        </button>
      </div>
      {hand.error && <Notice error={hand.error} />}
      {told && (
        <div role="status" className="max-h-40 overflow-y-auto border-y border-base-content py-1 text-[12px]">
          {isMisread(told) ? (
            <>
              <p className="text-primary">Nothing was changed.</p>
              {told.misread.map((one, at) => (
                <p key={at}>
                  <b>Line {one.line}</b>, {one.text || "…"}: {one.why} {one.remedy}
                </p>
              ))}
            </>
          ) : told.words.length ? (
            told.words.map((words) => <p key={words}>{words}</p>)
          ) : (
            <p>It says what holds already.</p>
          )}
        </div>
      )}
      <textarea
        aria-label="The packing list as text"
        spellCheck={false}
        className="mt-1 min-h-0 w-full flex-1 resize-none bg-transparent font-mono text-[12px] leading-[1.5]"
        value={mine}
        onChange={(event) => setMine(event.target.value)}
      />
    </div>
  );
}
