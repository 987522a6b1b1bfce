import type { Fit } from "../../api/client";
import { deciding, type Range } from "../../api/decisions";
import { useDecide, useDecisions } from "../../api/hooks";
import { ColorControl } from "../../ui/ColorControl";
import { NumberField } from "../../ui/NumberField";

export type Known = Fit["known"][number];

/** The most a colour's number or another amount may be where it is no share. */
const MOST = 1e6;

/** What a number of an input may be. */
export function rangeOfInput(known: Known): Range {
  if (known.share) return { words: "a number from 0 to 1", minimum: 0, maximum: 1 };
  const unit = known.length ? ", in metres" : "";
  return { words: `a number that is not negative${unit}`, minimum: 0, maximum: MOST };
}

/** Colours that were chosen by hand in this move, the last first. */
export function useRecentColors(move: number): number[][] {
  const decisions = useDecisions(move);
  const found = new Map<string, number[]>();
  for (const { field, value } of [...(decisions.data ?? [])].reverse())
    if (field === "factor" && Array.isArray(value) && value.length === 3 && !found.has(value.join()))
      found.set(value.join(), value);
  return [...found.values()].slice(0, 14);
}

/** The number or the colour of an input, changed where it stands. */
export function InputValue({
  move,
  target,
  known,
  factor,
  label,
}: {
  move: number;
  target: string;
  known: Known;
  factor: readonly (number | null)[];
  label: string;
}) {
  const decide = useDecide(move);
  const recent = useRecentColors(move);
  const decisions = useDecisions(move);
  const shared =
    decisions.data?.filter((one) => one.target === target && one.field === "factor_like").at(-1)?.value !=
    null;
  const put = (value: number[]) =>
    decide.mutate([
      deciding(target, "factor", value),
      ...(shared ? [deciding(target, "factor_like", null)] : []),
    ]);
  if (known.holds === "color")
    return (
      <ColorControl
        label={label}
        linear={factor.map((v) => v ?? 0)}
        recent={recent}
        most={known.share ? 1 : MOST}
        onSet={put}
      />
    );
  return (
    <span className="inline-flex items-center gap-1">
      <NumberField
        label={label}
        value={factor[0] ?? null}
        empty="endless"
        range={rangeOfInput(known)}
        className="w-20"
        onSet={(value) => value !== null && put([value])}
      />
      {known.length && <span className="text-soft">m</span>}
    </span>
  );
}
