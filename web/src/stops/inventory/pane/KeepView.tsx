import { type StandingNow, useKeepView } from "./useKeepView";

/** Keeps the framing on screen as a view that proofs can be made from. */
export function KeepView({ move, standing }: { move: number; standing: StandingNow }) {
  const { keep, told, busy } = useKeepView(move, standing);
  return (
    <button
      className="plate cursor-pointer hover:underline disabled:opacity-50"
      disabled={busy}
      title="Proofs can be made from this framing"
      onClick={() => keep()}
    >
      {told || "Keep for proofs"}
    </button>
  );
}
