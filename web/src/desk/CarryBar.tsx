import { useState } from "react";

import { api, got, type Move } from "../api/client";
import { isRunning } from "../api/hooks";
import { Notice } from "../ui/Notice";
import { SheetOptions } from "../ui/SheetOptions";
import { useDeskAct } from "./TakenOff";
import { NamedOptions } from "../ui/NamedOptions";

/** What is done with the chosen moves: each carried at one press, with one destination, one recipe, with a proof or without. */
export function CarryBar({
  chosen,
  all,
  onAll,
  onNone,
}: {
  chosen: Move[];
  all: Move[];
  onAll: () => void;
  onNone: () => void;
}) {
  const [destination, setDestination] = useState("");
  const [recipe, setRecipe] = useState("");
  const [proved, setProved] = useState(true);
  const carry = useDeskAct(async () => {
    for (const move of chosen)
      await got(
        api.POST("/api/moves/{move_id}/carry", {
          params: { path: { move_id: move.id } },
          body: {
            destination: destination || null,
            recipe: recipe && Number(recipe) !== move.id ? Number(recipe) : null,
            prove: proved,
          },
        }),
      );
  });
  const running = chosen.filter((move) => isRunning(move.job));
  const stop = useDeskAct(async () => {
    for (const move of running)
      await got(api.POST("/api/jobs/{job_id}/cancel", { params: { path: { job_id: move.job!.id } } }));
  });
  const able = chosen.filter((move) => move.ready && move.may !== "look");
  return (
    <section
      aria-label="Chosen moves"
      className="sticky bottom-0 z-10 mt-4 border border-base-content bg-base-100 px-4 py-3"
    >
      <div className="flex flex-wrap items-center gap-3">
        <b>{chosen.length} chosen</b>
        <label className="flex items-center gap-1.5">
          to
          <select
            className="field"
            value={destination}
            onChange={(event) => setDestination(event.target.value)}
          >
            <option value="">where each is going</option>
            <SheetOptions to="destination" />
          </select>
        </label>
        <label className="flex items-center gap-1.5">
          decided as in
          <select
            className="field max-w-[190px]"
            value={recipe}
            onChange={(event) => setRecipe(event.target.value)}
          >
            <option value="">none other</option>
            <NamedOptions of={all} />
          </select>
        </label>
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={proved} onChange={(event) => setProved(event.target.checked)} />
          with a proof
        </label>
        <span className="flex-1" />
        <button className="press" onClick={chosen.length < all.length ? onAll : onNone}>
          {chosen.length < all.length ? "Choose all" : "Choose none"}
        </button>
        {running.length > 0 && (
          <button className="press" disabled={stop.isPending} onClick={() => stop.mutate(undefined)}>
            Stop {running.length}
          </button>
        )}
        <button
          className="press press-main"
          disabled={carry.isPending || able.length === 0 || able.length < chosen.length}
          onClick={() => carry.mutate(undefined)}
        >
          Carry {chosen.length === 1 ? "it" : `all ${chosen.length}`}
        </button>
      </div>
      {able.length < chosen.length && (
        <p className="mt-1 text-[12px] text-soft">
          {chosen.length - able.length} of them cannot be carried: still being read, refused, or not yours to
          change.
        </p>
      )}
      {(carry.error ?? stop.error) && <Notice error={carry.error ?? stop.error} />}
    </section>
  );
}
