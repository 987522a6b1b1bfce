import { type RefObject, useState } from "react";

import { useDecide, useProofs } from "../../../api/hooks";

export type StandingNow = RefObject<(() => { matrix: number[]; yfov_rad: number } | null) | null>;

/** Keeps the framing on screen, and a moment where one is named, as a view that proofs can be made from. */
export function useKeepView(move: number, standing: StandingNow) {
  const proofs = useProofs(move);
  const decide = useDecide(move);
  const [told, setTold] = useState("");
  const keep = (moment: { clip: string; time_s: number } | Record<string, never> = {}, called = "") => {
    const stand = standing.current?.();
    if (!stand || !proofs.data) {
      setTold("Not drawn yet, press again");
      return;
    }
    const kept = proofs.data.kept;
    const taken = new Set(kept.map((view) => view.name));
    const named = (number: number) =>
      called ? (number > 1 ? `${called}, ${number}` : called) : `View ${number}`;
    let number = called ? 1 : kept.length + 1;
    while (taken.has(named(number))) number += 1;
    const name = named(number);
    decide.mutate([{ target: "proof", field: "views", value: [...kept, { name, ...stand, ...moment }] }], {
      onSuccess: () => setTold(`${name} kept`),
      onError: (reason) => setTold(reason.message),
    });
  };
  return { keep, told, busy: decide.isPending || !proofs.data };
}
