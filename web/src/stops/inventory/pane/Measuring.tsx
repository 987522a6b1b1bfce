import { deciding } from "../../../api/decisions";
import { useDecide } from "../../../api/hooks";
import { NumberField } from "../../../ui/NumberField";
import type { Point } from "../../../view/Measured";

const LENGTH = { words: "a length above zero, in metres", above: 0, maximum: 1e6 };

/** A length between two points of the model, and what it should be: everything is sized by it. */
export function Measuring({
  move,
  points,
  scale,
  onDone,
}: {
  move: number;
  points: Point[];
  /** By how much everything is sized already. */
  scale: number;
  onDone: () => void;
}) {
  const decide = useDecide(move);
  const [first, second] = points;
  const length = first && second ? Math.hypot(...first.map((v, axis) => v - second[axis]!)) : null;
  const put = (factor: number) =>
    decide.mutate([deciding("scene", "scale", scale * factor)], { onSuccess: onDone });
  return (
    <div
      role="group"
      aria-label="Measure"
      className="flex flex-wrap items-center gap-2 border border-base-content bg-base-100 px-2 py-1.5"
    >
      {length === null ? (
        <span role="status">{first ? "Press the other end" : "Press one end of a length you know"}</span>
      ) : (
        <>
          <span role="status">
            It is <b className="font-mono">{length.toPrecision(4)}</b> m and should be
          </span>
          <NumberField
            label="Length it should have, metres"
            value={null}
            empty={length.toPrecision(3)}
            range={LENGTH}
            className="w-20"
            onSet={(wanted: number | null) => wanted !== null && length > 0 && put(wanted / length)}
          />
          <span className="text-soft">m</span>
        </>
      )}
      <label className="flex items-center gap-1">
        or everything ×
        <NumberField
          label="Factor of everything"
          value={null}
          empty="1"
          range={{ words: "a factor above zero", above: 0, maximum: 1e6 }}
          className="w-16"
          onSet={(factor) => factor !== null && put(factor)}
        />
      </label>
      {decide.error && <span className="text-primary">{decide.error.message}</span>}
    </div>
  );
}
