import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, type ReactNode, useEffect, useMemo, useRef, useState } from "react";

interface Props<Row> {
  rows: Row[];
  idOf: (row: Row) => string;
  textOf: (row: Row) => string;
  render: (row: Row, chosen: boolean) => ReactNode;
  chosen: string[];
  onChoose: (ids: string[]) => void;
  height?: number;
  empty: string;
  label: string;
}

/** A virtualised list with search, arrow keys and multi-select (Shift or Ctrl). */
export function Ledger<Row>({
  rows,
  idOf,
  textOf,
  render,
  chosen,
  onChoose,
  height = 32,
  empty,
  label,
}: Props<Row>) {
  const [search, setSearch] = useState("");
  const holder = useRef<HTMLDivElement>(null);
  const shown = useMemo(() => {
    const wanted = search.trim().toLowerCase();
    return wanted ? rows.filter((row) => textOf(row).toLowerCase().includes(wanted)) : rows;
  }, [rows, search, textOf]);
  const virtual = useVirtualizer({
    count: shown.length,
    getScrollElement: () => holder.current,
    estimateSize: () => height,
    overscan: 12,
  });
  const first = chosen[0];
  useEffect(() => {
    const at = shown.findIndex((row) => idOf(row) === first);
    if (at >= 0) virtual.scrollToIndex(at);
    // Only a new choice scrolls; scrolling by hand must not be undone by a re-render.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [first]);

  function choose(at: number, many: boolean) {
    const row = shown[at];
    if (!row) return;
    const id = idOf(row);
    onChoose(many ? (chosen.includes(id) ? chosen.filter((other) => other !== id) : [id, ...chosen]) : [id]);
    virtual.scrollToIndex(at);
  }

  function onKey(event: KeyboardEvent) {
    const at = shown.findIndex((row) => idOf(row) === first);
    if (event.key === "ArrowDown") choose(Math.min(at + 1, shown.length - 1), event.shiftKey);
    else if (event.key === "ArrowUp") choose(Math.max(at - 1, 0), event.shiftKey);
    else if (event.key === "Home") choose(0, false);
    else if (event.key === "End") choose(shown.length - 1, false);
    else if (event.key === "Escape") onChoose([]);
    else return;
    event.preventDefault();
  }

  return (
    <div className="flex min-h-0 flex-1 flex-col">
      {rows.length > 8 && (
        <div className="border-b border-base-300 px-4 py-2">
          <input
            className="field w-full"
            type="search"
            placeholder={`Search ${rows.length}`}
            aria-label={`Search ${label}`}
            value={search}
            onChange={(event) => setSearch(event.target.value)}
          />
        </div>
      )}
      <div
        ref={holder}
        role="listbox"
        aria-label={label}
        aria-multiselectable
        tabIndex={0}
        onKeyDown={onKey}
        className="min-h-0 flex-1 overflow-y-auto focus-visible:outline-offset-[-2px]"
      >
        {shown.length === 0 && (
          <p className="p-4 text-soft">{rows.length ? "Nothing matches the search." : empty}</p>
        )}
        <div style={{ height: virtual.getTotalSize(), position: "relative" }}>
          {virtual.getVirtualItems().map((item) => {
            const row = shown[item.index]!;
            const on = chosen.includes(idOf(row));
            return (
              <div
                key={idOf(row)}
                role="option"
                aria-selected={on}
                onClick={(event) => choose(item.index, event.shiftKey || event.ctrlKey || event.metaKey)}
                className={`absolute inset-x-0 flex cursor-pointer items-center border-b border-base-300 px-4 ${on ? "bg-base-100 shadow-[inset_3px_0_0_var(--color-primary)]" : "hover:bg-base-100"}`}
                style={{ height, top: item.start }}
              >
                {render(row, on)}
              </div>
            );
          })}
        </div>
      </div>
    </div>
  );
}
