import type { Panel } from "../../api/client";
import { ColorControl } from "../../ui/ColorControl";
import { NumberField } from "../../ui/NumberField";
import { type Put, rangeOf } from "../../api/decisions";

const USUAL: Panel = {
  // Before the subject, a little aside.
  azimuth_deg: 140,
  height_deg: 40,
  width_deg: 40,
  tall_deg: 25,
  shape: "panel",
  soft: 0.2,
  nit: 1000,
  color: [1, 1, 1],
};
const FIELDS = [
  ["azimuth_deg", "round, °"],
  ["height_deg", "high, °"],
  ["width_deg", "wide, °"],
  ["tall_deg", "tall, °"],
  ["soft", "soft edge"],
  ["nit", "nit"],
] as const;

/** Soft lights on the sphere, each a row; their places are also dragged on the strip. */
export function PanelsForm({ panels, onPut }: { panels: Panel[]; onPut: Put }) {
  const put = (next: Panel[]) => onPut("environment", "panels", next);
  return (
    <section aria-label="Soft panels" className="border-b border-base-300 bg-base-100 px-6 py-3">
      {panels.length > 0 && (
        <table className="tight text-[12px]">
          <thead>
            <tr className="text-left text-soft">
              <th className="w-6 font-normal">no.</th>
              <th className="w-24 font-normal">shape</th>
              {FIELDS.map(([key, words]) => (
                <th key={key} className="w-20 font-normal">
                  {words}
                </th>
              ))}
              <th className="w-14 font-normal">colour</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {panels.map((panel, number) => (
              <Row
                key={number}
                number={number}
                panel={panel}
                onChange={(change) =>
                  put(panels.map((one, k) => (k === number ? { ...one, ...change } : one)))
                }
                onRemove={() => put(panels.filter((_, k) => k !== number))}
              />
            ))}
          </tbody>
        </table>
      )}
      <div className="mt-2 flex items-center gap-2">
        <button
          className="press"
          onClick={() =>
            put([...panels, { ...USUAL, azimuth_deg: USUAL.azimuth_deg + 80 * (panels.length % 2) }])
          }
        >
          Add a panel
        </button>
        <button className="press" onClick={() => put([...panels, { ...USUAL, shape: "disc", tall_deg: 40 }])}>
          Add a disc
        </button>
        <span className="text-[12px] text-soft">
          Each replaces what is behind it and is written into a new EXR. Drag them on the strip, or move them
          with the arrow keys.
        </span>
      </div>
    </section>
  );
}

function Row({
  number,
  panel,
  onChange,
  onRemove,
}: {
  number: number;
  panel: Panel;
  onChange: (change: Partial<Panel>) => void;
  onRemove: () => void;
}) {
  return (
    <tr className="h-8">
      <td className="font-mono">{number + 1}</td>
      <td>
        <select
          className="field h-6"
          aria-label={`Shape of panel ${number + 1}`}
          value={panel.shape}
          onChange={(event) => onChange({ shape: event.target.value as Panel["shape"] })}
        >
          <option value="panel">panel</option>
          <option value="disc">disc</option>
        </select>
      </td>
      {FIELDS.map(([key, words]) => (
        <td key={key}>
          <NumberField
            label={`${words} of panel ${number + 1}`}
            value={panel[key]}
            range={rangeOf("panels", key)}
            onSet={(value) => onChange({ [key]: value })}
          />
        </td>
      ))}
      <td>
        <ColorControl
          label={`Colour of panel ${number + 1}`}
          linear={panel.color}
          onSet={(color) => onChange({ color })}
          bare
        />
      </td>
      <td>
        <button className="text-soft underline" onClick={onRemove}>
          remove
        </button>
      </td>
    </tr>
  );
}
