import { useState } from "react";

import type { Inventory } from "../../../api/client";
import { deciding } from "../../../api/decisions";
import { useDecide, useGroup, useMoveTo, useUngroup } from "../../../api/hooks";
import { Choose } from "../../../ui/Choose";
import { Notice } from "../../../ui/Notice";
import type { Group } from "../../../parts/tree";

/** Chosen parts and groups put into a group, new or old, taken out of theirs, or joined. */
export function Grouping({
  move,
  inventory,
  chosen,
  groups,
  onChoose,
}: {
  move: number;
  inventory: Inventory;
  chosen: string[];
  groups: Group[];
  onChoose: (ids: string[]) => void;
}) {
  const decide = useDecide(move);
  const group = useGroup(move);
  const ungroup = useUngroup(move);
  const moveTo = useMoveTo(move);
  const [name, setName] = useState("");
  const error = decide.error ?? group.error ?? ungroup.error ?? moveTo.error;
  return (
    <>
      <form
        className="flex items-center gap-1"
        onSubmit={(event) => {
          event.preventDefault();
          group.mutate(
            { ids: chosen, name: name.trim() || "Group" },
            {
              onSuccess: ({ id }) => {
                setName("");
                onChoose([id]);
              },
            },
          );
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
        <button
          className="press"
          disabled={decide.isPending}
          onClick={() =>
            ungroup.mutate(
              groups.map((one) => one.id),
              { onSuccess: () => onChoose([]) },
            )
          }
        >
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
        onPick={(id) => moveTo.mutate({ ids: chosen, group: id || null })}
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
      {error && <Notice error={error} />}
    </>
  );
}
