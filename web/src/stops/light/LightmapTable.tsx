import { useMemo, useState } from "react";

import type { LightmapPart, Lightmaps } from "../../api/client";
import { NumberField } from "../../ui/NumberField";
import { type Field, type Put, rangeOf, type ValueOf } from "../../api/decisions";

const COLUMNS = [
  ["name", "part"],
  ["density", "texels a metre"],
  ["size", "size"],
  ["memory", "KiB"],
  ["leak", "leak"],
  ["seam", "seam"],
  ["noise", "noise"],
  ["coarse", "steps"],
  ["time", "s"],
] as const;
type Column = (typeof COLUMNS)[number][0];

const measure: Record<Column, (part: LightmapPart) => number | string> = {
  name: (part) => part.name,
  density: (part) => part.density ?? -1,
  size: (part) => (part.place?.width ?? 0) * (part.place?.height ?? 0),
  memory: (part) => part.place?.memory_kib ?? -1,
  leak: (part) => part.figures?.leak ?? -1,
  seam: (part) => part.figures?.seam ?? -1,
  noise: (part) => part.figures?.noise ?? -1,
  coarse: (part) => part.figures?.coarse ?? -1,
  time: (part) => part.figures?.seconds ?? -1,
};

/** Why a part receives none, where probes light it. */
const MOVING = new Set(["moves", "changes its shape"]);

/** Every part with what it gets: texels a metre can be asked for, and a part can be lit where it arrives instead. */
export function LightmapTable({
  data,
  chosen,
  onChoose,
  onPut,
  onPutMany,
}: {
  data: Lightmaps;
  chosen: string | null;
  onChoose: (part: string) => void;
  onPut: Put;
  onPutMany: <F extends Field>(ids: string[], field: F, value: ValueOf<F>) => void;
}) {
  const { parts } = data;
  const faulty = useMemo(
    () => new Set(data.faults.map((fault) => `${fault.kind} ${fault.part}`)),
    [data.faults],
  );
  const [by, setBy] = useState<Column>("memory");
  const [picked, setPicked] = useState<string[]>([]);
  const [many, setMany] = useState("");
  const sorted = useMemo(
    () =>
      [...parts].sort((a, b) => {
        if (Boolean(a.excused) !== Boolean(b.excused)) return a.excused ? 1 : -1;
        const [x, y] = [measure[by](a), measure[by](b)];
        return typeof x === "string" ? x.localeCompare(String(y)) : Number(y) - x;
      }),
    [parts, by],
  );
  return (
    <section aria-label="Parts" className="px-5 py-4">
      <div className="flex flex-wrap items-center gap-3">
        <h2>Parts</h2>
        {picked.length > 0 && (
          <form
            className="flex items-center gap-2"
            onSubmit={(event) => {
              event.preventDefault();
              onPutMany(picked, "texels_per_metre", many ? Number(many) : null);
            }}
          >
            <span className="text-soft">{picked.length} chosen</span>
            <input
              className="field h-6 w-16 font-mono"
              aria-label="Texels a metre for the chosen parts"
              placeholder="share"
              inputMode="decimal"
              value={many}
              onChange={(event) => setMany(event.target.value)}
            />
            <button className="press h-6 px-2">Set texels a metre</button>
            <button
              type="button"
              className="press h-6 px-2"
              onClick={() => onPutMany(picked, "receives", false)}
            >
              Light where they arrive
            </button>
          </form>
        )}
      </div>
      <table className="tight mt-2 w-full border-collapse text-[12px]">
        <thead>
          <tr className="border-b border-base-300 text-left text-soft">
            <th className="w-6" />
            {COLUMNS.map(([key, words]) => (
              <th
                key={key}
                className={`py-1 pr-2 font-normal ${key === "name" ? "" : "text-right"}`}
                aria-sort={by === key ? "descending" : "none"}
              >
                <button
                  className={by === key ? "font-semibold text-base-content" : ""}
                  onClick={() => setBy(key)}
                >
                  {words}
                </button>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {sorted.map((part) => (
            <Row
              key={part.id}
              part={part}
              faulty={faulty}
              probes={Boolean(data.baked?.probes)}
              chosen={chosen === part.id}
              picked={picked.includes(part.id)}
              onPick={(on) => setPicked(on ? [...picked, part.id] : picked.filter((id) => id !== part.id))}
              onChoose={onChoose}
              onPut={onPut}
            />
          ))}
        </tbody>
      </table>
    </section>
  );
}

function Row({
  part,
  faulty,
  probes,
  chosen,
  picked,
  onPick,
  onChoose,
  onPut,
}: {
  part: LightmapPart;
  faulty: Set<string>;
  probes: boolean;
  chosen: boolean;
  picked: boolean;
  onPick: (on: boolean) => void;
  onChoose: (part: string) => void;
  onPut: Put;
}) {
  const number = (value: number | undefined, words: string, kind: string) => (
    <td
      className={`pr-2 text-right font-mono ${faulty.has(`${kind} ${part.id}`) ? "font-semibold text-primary underline" : ""}`}
    >
      {value === undefined ? "" : words}
    </td>
  );
  return (
    <tr className={`h-7 border-b border-base-300 ${chosen ? "bg-base-300" : ""}`}>
      <td>
        <input
          type="checkbox"
          aria-label={`Choose ${part.name}`}
          checked={picked}
          onChange={(event) => onPick(event.target.checked)}
        />
      </td>
      <td className="max-w-36 truncate pr-2">
        <button
          className="max-w-full truncate text-left hover:underline"
          onClick={() => onChoose(part.id)}
          title={
            part.charts
              ? `${part.charts.charts} charts${part.charts.made ? `, made since ${part.charts.reason}` : ", as they came"}; ${(100 * (1 - part.charts.share)).toFixed(0)} % of its square is waste, stretched ${part.charts.stretch.toFixed(1)} times`
              : undefined
          }
        >
          {part.name}
        </button>
      </td>
      {part.excused ? (
        <td colSpan={8} className="text-soft">
          <span className="flex items-center gap-3">
            {part.received ? (
              <>
                brings its own light; white stands for
                <NumberField
                  label={`Lux of white on ${part.name}`}
                  value={part.received.lux}
                  range={rangeOf("received_light", "lux")}
                  onSet={(lux) =>
                    onPut(
                      part.received!.target,
                      "received_light",
                      part.received!.image ? { image: part.received!.image, lux } : { paint: true, lux },
                    )
                  }
                />
                lux
              </>
            ) : (
              <>
                {probes && MOVING.has(part.excused)
                  ? `${part.excused}: lit by probes along its way`
                  : `lit where it arrives: ${part.excused}`}
              </>
            )}
            {part.left_out && (
              <button className="underline" onClick={() => onPut(part.id, "receives", true)}>
                write its light down
              </button>
            )}
          </span>
        </td>
      ) : (
        <>
          <td className="pr-2 text-right">
            <NumberField
              label={`Texels a metre on ${part.name}`}
              value={part.density === null ? null : Math.round(part.density)}
              empty="share"
              range={rangeOf("texels_per_metre")}
              className={`w-14 text-right ${part.asked ? "font-semibold" : ""}`}
              onSet={(density) => onPut(part.id, "texels_per_metre", density)}
            />
          </td>
          <td className="pr-2 text-right font-mono">
            {part.place ? `${part.place.width} × ${part.place.height}` : ""}
          </td>
          <td className="pr-2 text-right font-mono">
            {part.place ? part.place.memory_kib.toFixed(part.place.memory_kib < 10 ? 1 : 0) : ""}
          </td>
          {number(part.figures?.leak, `${(100 * (part.figures?.leak ?? 0)).toFixed(1)} %`, "leak")}
          {number(part.figures?.seam, (part.figures?.seam ?? 0).toFixed(1), "seam")}
          {number(part.figures?.noise, (part.figures?.noise ?? 0).toFixed(1), "noise")}
          {number(part.figures?.coarse, `${(100 * (part.figures?.coarse ?? 0)).toFixed(0)} %`, "coarse")}
          <td className="pr-2 text-right font-mono" title="seconds of one processor">
            {part.figures ? part.figures.seconds.toFixed(part.figures.seconds < 10 ? 1 : 0) : ""}
          </td>
        </>
      )}
    </tr>
  );
}
