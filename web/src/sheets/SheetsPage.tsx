import { useRef, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";

import type { Sheet } from "../api/client";
import { useCopySheet, useImportSheet, useSheets } from "../api/sheets";
import { DeskHeader } from "../ui/DeskHeader";
import { Notice, Waiting } from "../ui/Notice";
import { Comparison } from "./Comparison";
import { SheetLines } from "./SheetLines";

const ROLE: Record<string, string> = {
  source: "source",
  destination: "destination",
  both: "source or destination",
};
const address = (name: string) => `/sheets/${encodeURIComponent(name.toLowerCase())}`;

/** All sheets at the left; one of them in plain words, line by line, or against another. Own sheets are changed in place. */
export function SheetsPage() {
  const sheets = useSheets();
  const { name } = useParams();
  const [params, setParams] = useSearchParams();
  const chosen =
    sheets.data?.find((sheet) => sheet.name.toLowerCase() === name?.toLowerCase()) ??
    (name ? undefined : sheets.data?.[0]);
  const against = sheets.data?.find((sheet) => sheet.name === params.get("against"));
  return (
    <div className="flex min-h-screen flex-col">
      <DeskHeader />
      <div className="mx-auto flex w-full max-w-[1180px] flex-1 gap-8 px-6 py-6">
        <nav aria-label="Sheets" className="w-[210px] shrink-0">
          <h1>Sheets</h1>
          <p className="text-soft">The written conventions and abilities of each program.</p>
          {sheets.isPending && <Waiting text="Fetching the sheets…" />}
          {sheets.error && <Notice error={sheets.error} />}
          <ul className="mt-3 border-t border-base-300">
            {sheets.data?.map((sheet) => (
              <li key={sheet.name} className="border-b border-base-300">
                <Link
                  to={address(sheet.name)}
                  aria-current={sheet === chosen ? "page" : undefined}
                  className={`flex h-8 items-center justify-between gap-2 hover:underline ${sheet === chosen ? "font-semibold text-primary" : ""}`}
                >
                  <span className="truncate">{sheet.name}</span>
                  <span className="shrink-0 text-[12px] font-normal text-soft">
                    {sheet.own ? "your own" : ROLE[sheet.role]}
                  </span>
                </Link>
              </li>
            ))}
          </ul>
          <Importing />
        </nav>
        <main className="min-w-0 flex-1">
          {name && sheets.data && !chosen && <p className="text-soft">There is no sheet called {name}.</p>}
          {chosen && (
            <>
              <Head
                sheet={chosen}
                all={sheets.data ?? []}
                against={against}
                onAgainst={(other) => setParams(other ? { against: other } : {}, { replace: true })}
              />
              {against && against !== chosen ? (
                <Comparison first={chosen} second={against} />
              ) : (
                <SheetLines key={chosen.name} sheet={chosen} />
              )}
            </>
          )}
        </main>
      </div>
    </div>
  );
}

function Head({
  sheet,
  all,
  against,
  onAgainst,
}: {
  sheet: Sheet;
  all: Sheet[];
  against: Sheet | undefined;
  onAgainst: (name: string) => void;
}) {
  const copy = useCopySheet();
  const navigate = useNavigate();
  const [name, setName] = useState<string | null>(null);
  return (
    <header>
      <div className="flex flex-wrap items-start justify-between gap-3">
        <div className="min-w-0">
          <h1>{sheet.name}</h1>
          <p className="text-soft">
            {ROLE[sheet.role]}
            {sheet.own ? ", your own" : ", ships with Trasloco and stays as it is"}
          </p>
        </div>
        <div className="flex items-center gap-2">
          <label className="flex items-center gap-2 text-soft">
            against
            <select
              className="field"
              value={against?.name ?? ""}
              onChange={(event) => onAgainst(event.target.value)}
            >
              <option value="">none</option>
              {all
                .filter((other) => other !== sheet)
                .map((other) => (
                  <option key={other.name}>{other.name}</option>
                ))}
            </select>
          </label>
          <a
            className="press"
            href={`/api/sheets/${encodeURIComponent(sheet.name.toLowerCase())}.toml`}
            download
          >
            Save as TOML
          </a>
          <button
            className="press press-main"
            onClick={() => setName(name === null ? `${sheet.name} of mine` : null)}
            aria-expanded={name !== null}
          >
            Copy
          </button>
        </div>
      </div>
      {name !== null && (
        <form
          className="mt-3 flex items-end gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            copy.mutate(
              { sheet: sheet.name, name },
              { onSuccess: (made) => (setName(null), void navigate(address(made.name))) },
            );
          }}
        >
          <label>
            <span className="block text-[12px] text-soft">Name of the copy</span>
            <input
              className="field w-64"
              autoFocus
              value={name}
              onChange={(event) => setName(event.target.value)}
            />
          </label>
          <button className="press press-main" disabled={copy.isPending || !name.trim()}>
            Make the copy
          </button>
        </form>
      )}
      {copy.error && <Notice error={copy.error} />}
      <p className="mt-2 max-w-[70ch]">{sheet.summary}</p>
    </header>
  );
}

function Importing() {
  const file = useRef<HTMLInputElement>(null);
  const bring = useImportSheet();
  const navigate = useNavigate();
  return (
    <div className="mt-3">
      <button className="press" onClick={() => file.current?.click()}>
        Bring in a TOML file
      </button>
      <input
        ref={file}
        type="file"
        accept=".toml"
        className="sr-only"
        tabIndex={-1}
        aria-label="TOML file of a sheet"
        onChange={(event) => {
          const chosen = event.target.files?.[0];
          event.target.value = "";
          if (chosen)
            void chosen
              .text()
              .then((text) => bring.mutate(text, { onSuccess: (made) => void navigate(address(made.name)) }));
        }}
      />
      {bring.error && <Notice error={bring.error} />}
    </div>
  );
}
