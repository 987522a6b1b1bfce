import { useState } from "react";

import type { SheetInput, SheetLine } from "../api/client";

interface ImageSet {
  name: string;
  channels: Record<string, string>;
  encoding: "srgb" | "linear";
}

const LETTERS = ["r", "g", "b", "a"] as const;

/** The delivered images of a material: a row each, what every channel holds. Kept together, since one row alone can clash with another. */
export function SetsControl({
  line,
  inputs,
  busy,
  onChange,
}: {
  line: SheetLine;
  inputs: SheetInput[];
  busy: boolean;
  onChange: (value: SheetLine["value"]) => void;
}) {
  const [rows, setRows] = useState(line.value as ImageSet[]);
  const dirty = JSON.stringify(rows) !== JSON.stringify(line.value);
  const put = (at: number, row: ImageSet) => setRows(rows.map((old, k) => (k === at ? row : old)));
  const hold = (at: number, channel: string, name: string) => {
    const row = rows[at];
    if (!row) return;
    const channels = Object.fromEntries(
      Object.entries(row.channels).filter(
        ([key]) =>
          key !== channel &&
          (channel !== "rgb" || key === "a") &&
          (channel === "a" || channel === "rgb" || key !== "rgb"),
      ),
    );
    put(at, { ...row, channels: name ? { ...channels, [channel]: name } : channels });
  };
  const select = (row: ImageSet, at: number, channel: string, count: number) => (
    <select
      className="field w-full"
      aria-label={`${row.name}, ${channel.toUpperCase()}`}
      disabled={busy}
      value={row.channels[channel] ?? ""}
      onChange={(event) => hold(at, channel, event.target.value)}
    >
      <option value="">—</option>
      {inputs
        .filter((one) => one.channels === count)
        .map((one) => (
          <option key={one.name} value={one.name}>
            {one.label}
          </option>
        ))}
    </select>
  );
  return (
    <div>
      <table className="w-full table-fixed border-collapse">
        <thead>
          <tr className="text-left text-[12px] text-soft">
            <th className="w-[104px] font-normal">Image</th>
            <th className="font-normal">RGB as one</th>
            {LETTERS.map((letter) => (
              <th key={letter} className="font-normal">
                {letter.toUpperCase()}
              </th>
            ))}
            <th className="w-[78px] font-normal">Stored</th>
            <th className="w-[26px]" />
          </tr>
        </thead>
        <tbody>
          {rows.map((row, at) => (
            <tr key={at} className="border-t border-base-300">
              <td className="py-1 pr-1">
                <input
                  className="field w-full font-mono text-[12px]"
                  aria-label={`Name of image ${at + 1}`}
                  value={row.name}
                  disabled={busy}
                  onChange={(event) => put(at, { ...row, name: event.target.value })}
                />
              </td>
              <td className="pr-1">{select(row, at, "rgb", 3)}</td>
              {LETTERS.map((letter) => (
                <td key={letter} className="pr-1">
                  {select(row, at, letter, 1)}
                </td>
              ))}
              <td className="pr-1">
                <select
                  className="field w-full"
                  aria-label={`${row.name} is stored as`}
                  disabled={busy}
                  value={row.encoding}
                  onChange={(event) =>
                    put(at, { ...row, encoding: event.target.value as ImageSet["encoding"] })
                  }
                >
                  <option value="srgb">sRGB</option>
                  <option value="linear">linear</option>
                </select>
              </td>
              <td>
                <button
                  className="press px-1.5"
                  aria-label={`Drop image ${row.name}`}
                  disabled={busy}
                  onClick={() => setRows(rows.filter((_, k) => k !== at))}
                >
                  −
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="mt-2 flex gap-2">
        <button
          className="press"
          disabled={busy}
          onClick={() =>
            setRows([...rows, { name: `image${rows.length + 1}`, channels: {}, encoding: "linear" }])
          }
        >
          One image more
        </button>
        {dirty && (
          <>
            <button
              className="press press-main"
              disabled={busy}
              onClick={() =>
                onChange(
                  rows.map((row) => ({ name: row.name, channels: row.channels, encoding: row.encoding })),
                )
              }
            >
              Keep these images
            </button>
            <button className="press" onClick={() => setRows(line.value as ImageSet[])}>
              As they were
            </button>
          </>
        )}
      </div>
    </div>
  );
}
