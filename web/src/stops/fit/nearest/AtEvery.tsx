import { useState } from "react";

import { type Elsewhere, pictures } from "../../../api/client";
import { useElsewhere } from "../../../api/nearest";
import { useSheets } from "../../../api/sheets";
import { Notice } from "../../../ui/Notice";

const SIDES = ["meant", "untouched", "copied", "fitted"] as const;
const SAID = { meant: "as meant", untouched: "untouched", copied: "numbers copied", fitted: "fitted" };

/** The material at every destination: as meant, passed on untouched, copied and fitted beside each other. */
export function AtEvery({ move, material, version }: { move: number; material: string; version: string }) {
  const [open, setOpen] = useState(false);
  const sheets = useSheets();
  const names = (sheets.data ?? []).filter((one) => one.role !== "source").map((one) => one.name);
  return (
    <section aria-label="At every destination" className="mt-6 border-t border-base-300 pt-4">
      <div className="flex items-baseline justify-between gap-4">
        <h2>At every destination</h2>
        {!open && (
          <button className="press" onClick={() => setOpen(true)}>
            Compare {names.length} destinations
          </button>
        )}
      </div>
      {open && <Table move={move} material={material} names={names} version={version} />}
    </section>
  );
}

function Table({
  move,
  material,
  names,
  version,
}: {
  move: number;
  material: string;
  names: string[];
  version: string;
}) {
  const found = useElsewhere(move, material, names, version);
  return (
    <table className="mt-2 w-full border-collapse">
      <thead>
        <tr className="border-b border-base-300 text-left text-soft">
          <th className="w-[24%] py-1 font-normal">Destination</th>
          {SIDES.map((side) => (
            <th key={side} className="py-1 font-normal">
              {SAID[side]}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {names.map((name, at) => (
          <tr key={name} className="border-b border-base-300 align-top">
            <th scope="row" className="py-2 text-left">
              {name}
              <span className="block text-[12px] font-normal text-soft">
                {found[at]?.data &&
                  (found[at].data.missing.length > 0
                    ? `without ${found[at].data.missing.join(", ").toLowerCase()}`
                    : "loses nothing of it")}
              </span>
            </th>
            {found[at]?.data ? (
              SIDES.map((side) => <Side key={side} told={found[at]!.data!} side={side} />)
            ) : (
              <td colSpan={4} className="py-2 text-soft">
                {found[at]?.error ? (
                  <Notice error={found[at].error} onRetry={() => void found[at]!.refetch()} />
                ) : (
                  <span role="status">Delivering it there and reading it back…</span>
                )}
              </td>
            )}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Side({ told, side }: { told: Elsewhere; side: (typeof SIDES)[number] }) {
  const one = told.sides.find((held) => held.side === side);
  return (
    <td className="py-2">
      {one ? (
        <>
          <img
            src={pictures.blob(one.picture)}
            alt={`${SAID[side]}, in ${told.sheet}`}
            className="h-[84px] w-[84px] bg-booth"
          />
          {one.delta_e !== null && (
            <span className="font-mono text-[12px]">
              ΔE {one.delta_e.toFixed(1)}
              {side === "fitted" && !told.found && told.missing.length > 0 && " (as copied)"}
            </span>
          )}
        </>
      ) : (
        <span className="text-soft">not received</span>
      )}
    </td>
  );
}
