import type { Budget } from "../../../api/client";
import { type Resource, told } from "./told";

type Found = NonNullable<Budget["found"]>;

const COLUMNS: { resource: Resource; words: string }[] = [
  { resource: "memory", words: "memory" },
  { resource: "download", words: "download" },
  { resource: "triangles", words: "triangles" },
  { resource: "draws", words: "draws" },
  { resource: "bake", words: "baking" },
];

/** What the choice makes smaller, what loses most first; each can be kept whole. */
export function BudgetChanges({
  found,
  onKeep,
  onFree,
}: {
  found: Found;
  onKeep: (id: string) => void;
  onFree: (id: string) => void;
}) {
  const columns = COLUMNS.filter(({ resource }) => found.now[resource] > found.least[resource]);
  return (
    <>
      {found.kept.length > 0 && (
        <p className="mt-4 flex flex-wrap items-center gap-x-3 gap-y-1">
          <b className="font-semibold">Kept whole</b>
          {found.kept.map((one) => (
            <button
              key={one.id}
              className="text-soft hover:underline"
              title={one.words}
              aria-label={`${one.name} ×: let it get smaller again`}
              onClick={() => onFree(one.id)}
            >
              {one.name} ×
            </button>
          ))}
        </p>
      )}
      {found.changes.length === 0 ? (
        <p className="mt-4 text-soft">Nothing is made smaller.</p>
      ) : (
        <table className="mt-4 w-full border-collapse" aria-label="What is made smaller">
          <thead>
            <tr className="border-b border-base-300 text-left text-soft">
              <th className="py-1.5 font-normal">Of</th>
              <th className="py-1.5 font-normal">becomes</th>
              {columns.map(({ resource, words }) => (
                <th key={resource} className="py-1.5 text-right font-normal">
                  {words}
                </th>
              ))}
              <th className="py-1.5 text-right font-normal">ΔE lost</th>
              <th className="w-[88px]" />
            </tr>
          </thead>
          <tbody>
            {found.changes.map((one) => (
              <tr key={one.id} className="border-b border-base-300">
                <td className="py-1.5">
                  <b className="font-semibold">{one.name}</b>{" "}
                  {(one.kind === "images" || one.kind === "mesh") && (
                    <span className="text-soft">{one.kind}</span>
                  )}
                  {!one.seen && (
                    <span className="text-soft" title="No view that was measured shows it">
                      {" "}
                      · not seen
                    </span>
                  )}
                </td>
                <td className="py-1.5 whitespace-nowrap">
                  {one.kind === "layout" ? one.before : one.before.split(" ")[0]} → {one.after}
                </td>
                {columns.map(({ resource }) => (
                  <td key={resource} className="py-1.5 text-right font-mono text-[12px] whitespace-nowrap">
                    {one.saved[resource] > 0 && `−${told(resource, one.saved[resource])}`}
                    {one.saved[resource] < 0 && `+${told(resource, -one.saved[resource])}`}
                  </td>
                ))}
                <td className="py-1.5 text-right font-mono text-[12px]">{one.loss.toFixed(3)}</td>
                <td className="py-1.5 text-right">
                  <button
                    className="text-primary hover:underline"
                    aria-label={`Keep whole: ${one.name}`}
                    onClick={() => onKeep(one.id)}
                  >
                    Keep whole
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}
