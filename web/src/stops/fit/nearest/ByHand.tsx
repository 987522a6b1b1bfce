import type { Nearest, NearestChange } from "../../../api/client";
import type { ByHand as Hand } from "../../../api/nearest";
import { Notice } from "../../../ui/Notice";
import { NumberField } from "../../../ui/NumberField";

const CHANNELS = ["red", "green", "blue"];
const told = (values: readonly number[]) => values.map((value) => Number(value.toFixed(3))).join(" ");

/** The destination's inputs: what each is copied as, what the fit makes of it, changed by hand, or kept out of the search. */
export function ByHand({
  found,
  hand,
  keep,
  delta,
  error,
  onHand,
  onKeep,
  onReset,
}: {
  found: Nearest;
  hand: Hand;
  keep: string[];
  delta: number | undefined;
  error: unknown;
  onHand: (hand: Hand) => void;
  onKeep: (keep: string[]) => void;
  onReset: (() => void) | undefined;
}) {
  return (
    <section aria-label="Inputs by hand">
      <h2>What it gives the inputs there</h2>
      <table className="mt-1 w-full border-collapse">
        <thead>
          <tr className="border-b border-base-300 text-left text-soft">
            <th className="py-1 font-normal">Input</th>
            <th className="py-1 font-normal">copied</th>
            <th className="py-1 font-normal">fitted</th>
            <th className="py-1 text-right font-normal">stays as it is</th>
          </tr>
        </thead>
        <tbody>
          {found.inputs.map((one) => (
            <tr key={one.input} className="border-b border-base-300 align-top">
              <td className="py-1.5 font-semibold">{one.label}</td>
              <td className="py-1.5 font-mono text-[12px] text-soft">
                {told(one.copied)}
                {one.how !== "number" && <span className="block font-sans">on average</span>}
              </td>
              <td className="py-1">
                <Numbers
                  one={one}
                  hand={hand[one.input]}
                  onSet={(change) => onHand({ ...hand, [one.input]: change })}
                />
              </td>
              <td className="py-1.5 text-right">
                <input
                  type="checkbox"
                  aria-label={`${one.label} stays as it is`}
                  checked={keep.includes(one.input)}
                  onChange={(event) =>
                    onKeep(
                      event.target.checked ? [...keep, one.input] : keep.filter((name) => name !== one.input),
                    )
                  }
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-2 text-[12px] text-soft" role="status">
        By the table of reflectance: ΔE {found.table[0]!.toFixed(2)} copied, {found.table[1]!.toFixed(2)}{" "}
        fitted
        {delta !== undefined && (
          <>
            , <b className="text-base-content">{delta.toFixed(2)} as changed by hand</b>
          </>
        )}
        .{" "}
        {onReset && (
          <button className="text-base-content underline" onClick={onReset}>
            Back to what was found
          </button>
        )}
      </p>
      {error != null && <Notice error={error} />}
    </section>
  );
}

function Numbers({
  one,
  hand,
  onSet,
}: {
  one: NearestChange;
  hand: Hand[string] | undefined;
  onSet: (change: Hand[string]) => void;
}) {
  const { gain, offset } = hand ?? one.still;
  const said = (k: number) => (one.copied.length > 1 ? ` ${CHANNELS[k]}` : "");
  const fields = (
    values: number[],
    words: string,
    [minimum, maximum]: number[],
    put: (next: number[]) => void,
  ) =>
    values.map((value, k) => (
      <NumberField
        key={k}
        label={`${one.label}${said(k)}${words}`}
        value={value}
        digits={3}
        range={{ words: `a number from ${minimum} to ${maximum}`, minimum: minimum!, maximum: maximum! }}
        className="mr-1 w-14"
        onSet={(next) => put(values.map((old, at) => (at === k ? next : old)))}
      />
    ));
  return (
    <>
      {one.how !== "number" && (
        <span className="flex items-center">
          <span className="w-9 text-[12px] text-soft">times</span>
          {fields(gain, ", times", one.gain_range, (next) => onSet({ gain: next, offset }))}
        </span>
      )}
      {one.how !== "gain" && (
        <span className={`flex items-center ${one.how === "line" ? "mt-1" : ""}`}>
          {one.how === "line" && <span className="w-9 text-[12px] text-soft">plus</span>}
          {fields(offset, one.how === "line" ? ", plus" : "", one.offset_range, (next) =>
            onSet({ gain, offset: next }),
          )}
        </span>
      )}
    </>
  );
}
