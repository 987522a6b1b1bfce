import type { Sheet } from "../api/client";
import { useComparison } from "../api/sheets";
import { Notice, Waiting } from "../ui/Notice";

/** Only the lines on which two sheets do not agree. */
export function Comparison({ first, second }: { first: Sheet; second: Sheet }) {
  const found = useComparison(first.name, second.name);
  if (found.isPending) return <Waiting text="Comparing…" />;
  if (found.error) return <Notice error={found.error} />;
  if (found.data.length === 0) return <p className="mt-5">They agree on every line that both have.</p>;
  return (
    <table className="mt-5 w-full table-fixed border-collapse">
      <caption className="sr-only">
        Differences of {first.name} and {second.name}
      </caption>
      <thead>
        <tr className="border-b border-base-content text-left">
          <th className="w-[24%] py-1 font-normal text-soft">
            {found.data.length} line{found.data.length === 1 ? " differs" : "s differ"}
          </th>
          <th className="py-1 pr-4">{first.name}</th>
          <th className="py-1">{second.name}</th>
        </tr>
      </thead>
      <tbody>
        {found.data.map((one) => (
          <tr key={one.path} className="border-b border-base-300 align-top">
            <th className="py-2 pr-4 text-left font-normal">
              {one.label}
              <span className="block text-[12px] text-soft">{one.group}</span>
            </th>
            <td className="py-2 pr-4">{one.first}</td>
            <td className="py-2">{one.second}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
