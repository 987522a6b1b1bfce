import { type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import { ListBox, ListBoxItem, ListLayout, type Selection, Virtualizer } from "react-aria-components";

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

/** A list of any length with search, arrow keys and choosing of many (Shift or Ctrl): only what is seen is drawn. */
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
  const items = useMemo(() => shown.map((row) => ({ id: idOf(row), row })), [shown, idOf]);
  const first = chosen[0];
  useEffect(() => {
    const list = holder.current;
    const at = items.findIndex((item) => item.id === first);
    if (!list || at < 0) return;
    if (at * height < list.scrollTop) list.scrollTop = at * height;
    else if ((at + 1) * height > list.scrollTop + list.clientHeight)
      list.scrollTop = (at + 1) * height - list.clientHeight;
    // Only a new choice scrolls; scrolling by hand must not be undone by a re-render.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [first]);

  function select(keys: Selection) {
    const now = keys === "all" ? items.map((item) => item.id) : [...keys].map(String);
    const held = new Set(now);
    // What was chosen last comes first.
    onChoose([...now.filter((id) => !chosen.includes(id)).reverse(), ...chosen.filter((id) => held.has(id))]);
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
      <Virtualizer layout={ListLayout} layoutOptions={{ rowHeight: height }}>
        <ListBox
          ref={holder}
          aria-label={label}
          items={items}
          selectionMode="multiple"
          selectionBehavior="replace"
          selectedKeys={chosen}
          onSelectionChange={select}
          renderEmptyState={() => (
            <p className="p-4 text-soft">{rows.length ? "Nothing matches the search." : empty}</p>
          )}
          className="min-h-0 flex-1 overflow-y-auto data-[focus-visible]:outline-2 data-[focus-visible]:outline-offset-[-2px]"
        >
          {({ id, row }) => (
            <ListBoxItem
              id={id}
              textValue={textOf(row)}
              className="flex h-full w-full cursor-pointer items-center border-b border-base-300 px-4 outline-none hover:bg-base-100 data-[focus-visible]:outline-2 data-[focus-visible]:outline-offset-[-2px] data-[selected]:bg-base-100 data-[selected]:shadow-[inset_3px_0_0_var(--color-primary)]"
            >
              {({ isSelected }) => render(row, isSelected)}
            </ListBoxItem>
          )}
        </ListBox>
      </Virtualizer>
    </div>
  );
}
