import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, got } from "../../api/client";
import { deciding } from "../../api/decisions";
import { about, useDecide } from "../../api/hooks";
import { Notice, Waiting } from "../../ui/Notice";
import { NamedOptions } from "../../ui/NamedOptions";

/** Which joint of the rig is which of another model: proposed where names and places tell, and changed by hand. */
export function PoseFrom({ move, mark, onDone }: { move: number; mark: string; onDone: () => void }) {
  const decide = useDecide(move);
  const map = useQuery({
    queryKey: ["move", move, "pose map", mark],
    queryFn: () => got(api.GET("/api/moves/{move_id}/pose-map", about(move, { model: mark }))),
    retry: false,
  });
  const [said, setSaid] = useState<Record<string, string>>({});
  if (map.isPending) return <Waiting text="Comparing joints…" />;
  if (map.error) return <Notice error={map.error} />;
  const { joints, others, by_name } = map.data;
  const chosen = Object.fromEntries(
    joints
      .map((joint) => [joint.id, said[joint.id] ?? joint.other ?? ""] as const)
      .filter(([, other]) => other),
  );
  const take = () =>
    decide.mutate(
      [
        deciding(
          "scene",
          "pose_from",
          by_name && !Object.keys(said).length ? mark : { model: mark, joints: chosen },
        ),
      ],
      { onSuccess: onDone },
    );
  const count = Object.keys(chosen).length;
  return (
    <div aria-label="Which joint is which" role="group" className="mt-2 border border-base-content p-2">
      <p className="mb-1.5">
        {by_name
          ? "All joints are called alike."
          : `${count} of ${joints.length} joints have a counterpart. Bones keep their own length; only their turn is taken.`}
      </p>
      <ul className="max-h-64 overflow-y-auto">
        {joints.map((joint) => (
          <li key={joint.id} className="flex items-center gap-2 py-0.5">
            <span className="min-w-0 flex-1 truncate">{joint.name}</span>
            <select
              className="field h-6 w-44"
              aria-label={`What ${joint.name} is called there`}
              value={chosen[joint.id] ?? ""}
              onChange={(event) => setSaid({ ...said, [joint.id]: event.target.value })}
            >
              <option value="">stays as it is</option>
              <NamedOptions of={others} />
            </select>
            <span className="w-16 text-right text-[12px] text-soft">
              {said[joint.id] !== undefined
                ? "by hand"
                : joint.other
                  ? joint.sure
                    ? "sure"
                    : "a guess"
                  : ""}
            </span>
          </li>
        ))}
      </ul>
      <div className="mt-2 flex gap-2">
        <button className="press press-main" disabled={!count || decide.isPending} onClick={take}>
          Take the pose
        </button>
        <button className="press" onClick={onDone}>
          Leave it
        </button>
      </div>
      {decide.error && <Notice error={decide.error} />}
    </div>
  );
}
