import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, got } from "../api/client";
import { bytes } from "../ui/format";
import { Notice, Waiting } from "../ui/Notice";

const of = (move_id: number) => ({ params: { path: { move_id } } });

/** Moves that come and go from the desk, with everything that follows from it asked again. */
export function useDeskAct<Body>(act: (body: Body) => Promise<unknown>) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSettled: () => {
      for (const key of ["moves", "taken off", "room"]) void client.invalidateQueries({ queryKey: [key] });
    },
  });
}

export const useBringBack = () =>
  useDeskAct((move: number) => got(api.POST("/api/taken-off/{move_id}/back", of(move))));
export const useTakeOff = () =>
  useDeskAct((move: number) => got(api.DELETE("/api/moves/{move_id}", of(move))));

/** What was taken off the desk, and what takes room: below the list, asked for when they are opened. */
export function BelowDesk() {
  return (
    <div className="mt-8 flex flex-col gap-2">
      <Folded title="Taken off the desk">{(open) => open && <TakenOff />}</Folded>
      <Folded title="What takes room">{(open) => open && <Room />}</Folded>
    </div>
  );
}

function Folded({ title, children }: { title: string; children: (open: boolean) => React.ReactNode }) {
  const [open, setOpen] = useState(false);
  return (
    <details
      className="border border-base-300 bg-base-100"
      onToggle={(event) => setOpen(event.currentTarget.open)}
    >
      <summary className="cursor-pointer px-4 py-2 font-semibold">{title}</summary>
      {children(open)}
    </details>
  );
}

function TakenOff() {
  const found = useQuery({
    queryKey: ["taken off"],
    queryFn: () => got(api.GET("/api/taken-off")),
    refetchOnMount: "always",
  });
  const back = useBringBack();
  const gone = useDeskAct((move: number) => got(api.DELETE("/api/taken-off/{move_id}", of(move))));
  if (found.isPending) return <Waiting text="Looking…" />;
  if (found.error) return <Notice error={found.error} onRetry={() => void found.refetch()} />;
  return (
    <div className="px-4 pb-3">
      {(back.error ?? gone.error) && <Notice error={back.error ?? gone.error} />}
      {found.data.length === 0 && <p className="text-soft">Nothing was taken off in the last 30 days.</p>}
      <ul>
        {found.data.map((one) => (
          <li key={one.id} className="flex items-center gap-3 border-t border-base-300 py-1.5">
            <span className="min-w-0 flex-1 truncate font-semibold">{one.name}</span>
            <span className="text-soft">{bytes(one.bytes)}</span>
            <span className="w-44 text-soft">kept for {one.days_left} more days</span>
            <button
              className="press h-[22px] px-2"
              onClick={() => back.mutate(one.id)}
              aria-label={`Bring ${one.name} back`}
            >
              Bring back
            </button>
            <button
              className="press h-[22px] px-2"
              aria-label={`Remove ${one.name} for good`}
              onClick={() =>
                confirm(`Remove “${one.name}” for good? Its files, proofs and handovers go with it.`) &&
                gone.mutate(one.id)
              }
            >
              Remove for good
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}

function Room() {
  const room = useQuery({
    queryKey: ["room"],
    queryFn: () => got(api.GET("/api/room")),
    refetchOnMount: "always",
  });
  if (room.isPending) return <Waiting text="Counting…" />;
  if (room.error) return <Notice error={room.error} onRetry={() => void room.refetch()} />;
  const { moves, results, results_most, free } = room.data;
  const most = Math.max(...moves.map((one) => one.bytes), 1);
  return (
    <div className="px-4 pb-3">
      <p className="text-soft">
        {bytes(free)} are free on the disk. Results that can be computed again take {bytes(results)} of at
        most {bytes(results_most)}; the oldest leave first.
      </p>
      <ul className="mt-2">
        {moves.map((one) => (
          <li key={one.id} className="flex items-center gap-3 border-t border-base-300 py-1.5">
            <span className="w-64 truncate font-semibold">{one.name}</span>
            <span className="h-1.5 flex-1 bg-base-200" aria-hidden>
              <span
                className="block h-1.5 bg-base-content"
                style={{ width: `${(100 * one.bytes) / most}%` }}
              />
            </span>
            <span className="w-24 text-right">{bytes(one.bytes)}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}
