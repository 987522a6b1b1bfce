import { useState } from "react";

import type { Decision } from "../../../api/client";
import { useDecide } from "../../../api/hooks";
import { whole } from "../../../ui/format";

interface Props {
  move: number;
  picked: Record<string, number[]>;
  slots: string[];
  /** Whether dragging draws an area instead of turning the view, and how many chosen parts it is held to. */
  area: boolean;
  onArea: (area: boolean) => void;
  within: number;
  onDone: () => void;
}

/** Faces picked in the view go to a slot, new or old. Earlier picks of the same parts stay where they were put. */
export function PickedFaces({ move, picked, slots, area, onArea, within, onDone }: Props) {
  const decide = useDecide(move);
  const [slot, setSlot] = useState("");
  const count = Object.values(picked).reduce((sum, faces) => sum + faces.length, 0);

  function put() {
    const made = Object.entries(picked)
      .filter(([, faces]) => faces.length)
      .map(([target, faces]): Decision => ({
        target,
        field: "faces_slot",
        value: [{ faces, slot: slot.trim() }],
      }));
    decide.mutate(made, { onSuccess: onDone });
  }

  return (
    <form
      className="plate flex items-center gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        put();
      }}
    >
      <span>{count ? `${whole(count)} faces picked` : "Press faces in the view"}</span>
      <label
        className="flex items-center gap-1"
        title="Drag over the view: faces that look at you, whatever stands before them. Turn the view again with this off."
      >
        <input type="checkbox" checked={area} onChange={(event) => onArea(event.target.checked)} />
        {within ? `area of ${whole(within)} chosen` : "area"}
      </label>
      <input
        className="field h-6 w-36"
        list="slots"
        aria-label="Slot"
        placeholder="slot"
        value={slot}
        onChange={(event) => setSlot(event.target.value)}
      />
      <datalist id="slots">
        {slots.map((name) => (
          <option key={name} value={name} />
        ))}
      </datalist>
      <button className="underline disabled:opacity-50" disabled={!count || !slot.trim() || decide.isPending}>
        Put in slot
      </button>
      {decide.error && <span className="text-primary">{decide.error.message}</span>}
    </form>
  );
}
