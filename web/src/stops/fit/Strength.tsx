import type { Crossing } from "../../api/client";
import { deciding, rangeOf } from "../../api/decisions";
import { useDecide } from "../../api/hooks";
import { NumberField } from "../../ui/NumberField";

/** How strong a normal map or an occlusion is, or how deep a relief: in millimetres where the model tells how long a repeat of its image is. */
export function Strength({
  move,
  crossing,
  repeat_m,
}: {
  move: number;
  crossing: Crossing;
  repeat_m: number | undefined;
}) {
  const decide = useDecide(move);
  const range = rangeOf("strength");
  const put = (value: number) => decide.mutate([deciding(crossing.id, "strength", value)]);
  const relief = crossing.name === "height";
  const scale = relief && repeat_m ? repeat_m * 1000 : 1;
  return (
    <label className="block">
      <span className="block text-[12px] text-soft">{relief ? "Depth" : "Strength"}</span>
      <span
        className="flex items-center gap-1"
        title={relief && repeat_m ? `One repeat of its image is ${(repeat_m * 1000).toFixed(0)} mm long` : ""}
      >
        <NumberField
          label={relief ? `Depth of ${crossing.label}` : `Strength of ${crossing.label}`}
          value={crossing.given.strength * scale}
          range={{
            words: `a number from 0 to ${Number(((range.maximum ?? 100) * scale).toPrecision(3))}`,
            minimum: 0,
            maximum: (range.maximum ?? 100) * scale,
          }}
          onSet={(value) => put(value / scale)}
        />
        {relief && <span className="text-soft">{repeat_m ? "mm" : "of a repeat"}</span>}
      </span>
    </label>
  );
}
