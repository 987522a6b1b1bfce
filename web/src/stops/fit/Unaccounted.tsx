import { Link } from "react-router";

import { useAccounts } from "../../api/hooks";
import { Mark } from "../../ui/Mark";

/** What arrived otherwise than anything explains, as the books last told for this very plan: first the chosen material's, all of them in Handover. */
export function Unaccounted({ move, material }: { move: number; material: string }) {
  const { data } = useAccounts(move);
  const found = data?.known ? data.entries.filter((entry) => entry.mark === "unaccounted") : [];
  if (found.length === 0) return null;
  const here = found.filter((entry) => entry.item === material);
  return (
    <div
      role="status"
      className="border-t border-l-[3px] border-base-300 border-l-primary bg-primary/8 px-4 py-2"
    >
      <Link
        to={`/moves/${move}/handover`}
        className="flex items-center gap-1.5 font-semibold text-primary underline"
      >
        <Mark mark="unaccounted" /> {found.length} unaccounted
      </Link>
      {here.map((entry) => (
        <span key={entry.key} className="block text-[12px]">
          {entry.title}
        </span>
      ))}
    </div>
  );
}
