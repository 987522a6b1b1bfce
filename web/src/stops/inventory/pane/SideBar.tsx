import type { Sharing } from "../../../view/lit/Halves";
import { type Side, SIDES } from "../../../view/lit/useLit";

/** Which side is shown, alone or with another: beside it, or wiped over it. */
export function SideBar({
  side,
  against,
  sharing,
  held,
  onSide,
  onAgainst,
}: {
  side: Side;
  against: Side | undefined;
  sharing: Sharing;
  /** Whether something else decides what is shown, as hatched faces do. */
  held: boolean;
  onSide: (side: Side) => void;
  onAgainst: (side: Side | null, sharing: Sharing) => void;
}) {
  const others = SIDES.filter(([name]) => name !== side);
  return (
    <div className="flex gap-1.5" role="group" aria-label="Side">
      <select
        aria-label="Side shown"
        className="plate cursor-pointer font-semibold disabled:opacity-100"
        value={side}
        disabled={held}
        title={held ? "Hatched faces are shown on what was received" : "What is shown"}
        onChange={(event) => onSide(event.target.value as Side)}
      >
        {SIDES.map(([name, label]) => (
          <option key={name} value={name}>
            {label}
          </option>
        ))}
      </select>
      <select
        aria-label="Shown with"
        className="plate cursor-pointer"
        value={against && against !== side ? `${sharing} ${against}` : ""}
        disabled={held}
        onChange={(event) => {
          const [how, what] = event.target.value.split(" ");
          onAgainst((what as Side | undefined) ?? null, how === "wipe" ? "wipe" : "beside");
        }}
      >
        <option value="">alone</option>
        {(["beside", "wipe"] as const).flatMap((how) =>
          others.map(([name, label]) => (
            <option key={`${how} ${name}`} value={`${how} ${name}`}>
              {how === "beside" ? "beside" : "wiped over"} {label.toLowerCase()}
            </option>
          )),
        )}
      </select>
    </div>
  );
}
