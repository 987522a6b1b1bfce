import { useState } from "react";

import type { Inventory } from "../../../api/client";
import { deciding } from "../../../api/decisions";
import { useDecide } from "../../../api/hooks";
import { Choose } from "../../../ui/Choose";
import { Notice } from "../../../ui/Notice";
import type { Branch, Group } from "../../../parts/tree";

const flat = (tree: Branch[]): Branch[] => tree.flatMap((branch) => [branch, ...flat(branch.children)]);

/** Chosen parts and groups put into a group, new or old, taken out of theirs, or joined. */
export function Grouping({
  move,
  inventory,
  tree,
  chosen,
  groups,
  onChoose,
}: {
  move: number;
  inventory: Inventory;
  tree: Branch[];
  chosen: string[];
  groups: Group[];
  onChoose: (ids: string[]) => void;
}) {
  const decide = useDecide(move);
  const [name, setName] = useState("");
  const branches = flat(tree).filter((branch) => chosen.includes(branch.id));
  const parents = new Set(branches.map((branch) => (branch.part ?? branch.group)?.parent ?? null));
  const common = parents.size === 1 ? [...parents][0]! : null;
  const nested = new Set(branches.flatMap((branch) => flat(branch.children).map((one) => one.id)));
  const tops = chosen.filter((id) => !nested.has(id));

  function group() {
    const known = new Set([...inventory.groups, ...inventory.parts].map((one) => one.id));
    let number = 1;
    while (known.has(`part:made-${number}`)) number += 1;
    const id = `part:made-${number}`;
    decide.mutate(
      [
        deciding(id, "grouped", { name: name.trim() || "Group", parent: common }),
        ...tops.map((target) => deciding(target, "parent", id)),
      ],
      {
        onSuccess: () => {
          setName("");
          onChoose([id]);
        },
      },
    );
  }

  function ungroup() {
    const children = branches.filter((branch) => branch.group).flatMap((branch) => branch.children);
    decide.mutate(
      [
        ...groups.flatMap((one) =>
          flat(tree)
            .filter((branch) => (branch.part ?? branch.group)?.parent === one.id)
            .map((branch) => deciding(branch.id, "parent", one.parent)),
        ),
        ...groups.map((one) =>
          one.made ? deciding(one.id, "grouped", null) : deciding(one.id, "include", false),
        ),
      ],
      { onSuccess: () => onChoose(children.map((child) => child.id)) },
    );
  }

  return (
    <>
      <form
        className="flex items-center gap-1"
        onSubmit={(event) => {
          event.preventDefault();
          group();
        }}
      >
        <input
          className="field w-28"
          aria-label="Name of the new group"
          placeholder="new group"
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
        <button className="press" disabled={decide.isPending}>
          Group them
        </button>
      </form>
      {groups.length > 0 && (
        <button className="press" disabled={decide.isPending} onClick={ungroup}>
          Ungroup
        </button>
      )}
      <Choose
        label="Move to group"
        options={[
          ["", "no group"],
          ...inventory.groups
            .filter((one) => !chosen.includes(one.id))
            .map((one) => [one.id, one.name] as [string, string]),
        ]}
        onPick={(id) => decide.mutate(tops.map((target) => deciding(target, "parent", id || null)))}
      />
      {groups.length > 0 && (
        <Choose
          label="Join its parts"
          options={[
            ["material", "into one for each material"],
            ["group", "into one for each group"],
            ["apart", "keep them apart"],
          ]}
          onPick={(value) =>
            decide.mutate(
              groups.map((one) => deciding(one.id, "join", value as "material" | "group" | "apart")),
            )
          }
        />
      )}
      {decide.error && <Notice error={decide.error} />}
    </>
  );
}
