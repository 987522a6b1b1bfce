import { type RefObject, useState } from "react";

import { useDecide, useProofs } from "../../../api/hooks";

/** Keeps the framing on screen as a view that proofs can be made from. */
export function KeepView({
  move,
  standing,
}: {
  move: number;
  standing: RefObject<(() => { matrix: number[]; yfov_rad: number }) | null>;
}) {
  const proofs = useProofs(move);
  const decide = useDecide(move);
  const [told, setTold] = useState("");
  const keep = () => {
    const stand = standing.current?.();
    if (!stand || !proofs.data) {
      setTold("Not drawn yet, press again");
      return;
    }
    const kept = proofs.data.kept;
    const taken = new Set(kept.map((view) => view.name));
    let number = kept.length + 1;
    while (taken.has(`View ${number}`)) number += 1;
    decide.mutate(
      [{ target: "proof", field: "views", value: [...kept, { name: `View ${number}`, ...stand }] }],
      { onSuccess: () => setTold(`View ${number} kept`), onError: (reason) => setTold(reason.message) },
    );
  };
  return (
    <button
      className="plate cursor-pointer hover:underline disabled:opacity-50"
      disabled={decide.isPending || !proofs.data}
      title="Proofs can be made from this framing"
      onClick={keep}
    >
      {told || "Keep for proofs"}
    </button>
  );
}
