import { useDeferredValue, useMemo, useState } from "react";
import {
  Button,
  Collection,
  ListLayout,
  type Selection,
  Tree,
  TreeItem,
  TreeItemContent,
  Virtualizer,
} from "react-aria-components";

import type { Inventory } from "../api/client";
import { whole } from "../ui/format";
import { ChooseBy } from "./ChooseBy";
import { type Branch, found, groupsIn, partsOf, treeOf } from "./tree";

/** Up to so many parts every group is open from the start. */
const OPEN_UP_TO = 40;

/** Parts and groups as they hold each other: searched, walked with the arrow keys, chosen with Shift and Ctrl, or by what they have in common. */
export function PartTree({
  inventory,
  chosen,
  onChoose,
}: {
  inventory: Inventory;
  chosen: string[];
  onChoose: (ids: string[]) => void;
}) {
  const [typed, setSearch] = useState("");
  // What is typed is seen at once; the list comes after it.
  const search = useDeferredValue(typed);
  const tree = useMemo(() => treeOf(inventory), [inventory]);
  const [opened, setOpened] = useState<ReadonlySet<string>>(
    () => new Set(inventory.parts.length <= OPEN_UP_TO ? groupsIn(tree) : []),
  );
  const shown = useMemo(() => found(tree, search), [tree, search]);
  const expanded = useMemo(
    () => (search.trim() ? new Set(groupsIn(shown)) : opened),
    [search, shown, opened],
  );
  const everyPart = () =>
    shown.flatMap((branch) => partsOf([branch], new Set([branch.id, ...groupsIn([branch])])));

  function select(keys: Selection) {
    const now = keys === "all" ? everyPart() : [...keys].map(String);
    const held = new Set(now);
    onChoose([...now.filter((id) => !chosen.includes(id)).reverse(), ...chosen.filter((id) => held.has(id))]);
  }

  const row = (branch: Branch) => (
    <TreeItem
      id={branch.id}
      textValue={branch.name}
      className="flex h-full w-full cursor-pointer items-center border-b border-base-300 pr-4 outline-none hover:bg-base-100 data-[focus-visible]:outline-2 data-[focus-visible]:outline-offset-[-2px] data-[selected]:bg-base-100 data-[selected]:shadow-[inset_3px_0_0_var(--color-primary)]"
    >
      <TreeItemContent>
        {({ hasChildItems, isExpanded, level }) => (
          <>
            <span style={{ width: 6 + 14 * (level - 1) }} className="shrink-0" />
            {hasChildItems ? (
              <Button
                slot="chevron"
                className="grid h-6 w-5 shrink-0 cursor-pointer place-items-center font-mono text-soft"
                aria-label={isExpanded ? `Fold ${branch.name}` : `Unfold ${branch.name}`}
              >
                {isExpanded ? "−" : "+"}
              </Button>
            ) : (
              <span className="w-5 shrink-0" />
            )}
            <Words branch={branch} />
          </>
        )}
      </TreeItemContent>
      <Collection items={branch.children}>{row}</Collection>
    </TreeItem>
  );

  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="flex items-center gap-2 border-b border-base-300 px-4 py-2">
        <input
          className="field min-w-0 flex-1"
          type="search"
          placeholder={`Search ${whole(inventory.parts.length)} parts`}
          aria-label="Search parts"
          value={typed}
          onChange={(event) => setSearch(event.target.value)}
        />
        {search.trim() !== "" && (
          <button className="press" disabled={!shown.length} onClick={() => onChoose(everyPart())}>
            Choose the found
          </button>
        )}
        <ChooseBy
          inventory={inventory}
          chosen={chosen}
          parts={partsOf(tree, new Set(chosen))}
          onChoose={onChoose}
        />
      </div>
      <Virtualizer layout={ListLayout} layoutOptions={{ rowHeight: 32 }}>
        <Tree
          aria-label="parts"
          items={shown}
          selectionMode="multiple"
          selectionBehavior="replace"
          selectedKeys={chosen}
          onSelectionChange={select}
          expandedKeys={expanded}
          onExpandedChange={(keys) => !search.trim() && setOpened(new Set([...keys].map(String)))}
          renderEmptyState={() => (
            <p className="p-4 text-soft">
              {inventory.parts.length ? "Nothing matches the search." : "There are no parts."}
            </p>
          )}
          className="min-h-0 flex-1 overflow-y-auto"
        >
          {row}
        </Tree>
      </Virtualizer>
    </div>
  );
}

function Words({ branch }: { branch: Branch }) {
  const { part, group } = branch;
  if (!part)
    return (
      <>
        <span className="min-w-0 flex-1 truncate font-semibold">{branch.name}</span>
        <span className="text-right text-[12px] text-soft">
          {group?.made && branch.parts === 0
            ? "empty"
            : `${whole(branch.parts)} part${branch.parts === 1 ? "" : "s"}`}
        </span>
      </>
    );
  return (
    <>
      <span className={`min-w-0 flex-1 truncate ${part.included ? "" : "text-soft line-through"}`}>
        {branch.name}
      </span>
      <span className="w-16 text-right font-mono text-[12px]">{whole(part.triangles)}</span>
      <span className="w-20 text-right text-[12px] text-soft">
        {part.included
          ? part.kind !== "part"
            ? part.kind
            : part.vertex_colors
              ? "coloured"
              : ""
          : "left out"}
      </span>
    </>
  );
}
