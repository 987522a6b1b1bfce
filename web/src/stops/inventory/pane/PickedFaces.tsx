import { useState } from "react";

import type { Decision, Material } from "../../../api/client";
import { deciding } from "../../../api/decisions";
import { useDecide } from "../../../api/hooks";
import { NewMaterial } from "../../../materials/NewMaterial";
import { Choose } from "../../../ui/Choose";
import { whole } from "../../../ui/format";
import { NumberField } from "../../../ui/NumberField";
import type { How, Picking } from "./usePicked";

const WAYS: [How, string][] = [
  ["more", "one ring more"],
  ["fewer", "one ring fewer"],
  ["plane", "all in their plane"],
  ["smooth", "all of their smooth surface"],
  ["connected", "all that hangs together"],
  ["slot", "all of their slot"],
];
const ANGLE = { words: "degrees from 0 to 180", minimum: 0, maximum: 180 };

/** Faces picked in the view, what belongs to them, and what is done with them: put in a slot or a new material, turned round, taken away. */
export function PickedFaces({
  move,
  picking,
  materials,
  within,
}: {
  move: number;
  picking: Picking;
  materials: Material[];
  /** How many chosen parts an area is held to. */
  within: number;
}) {
  const decide = useDecide(move);
  const [slot, setSlot] = useState("");
  const [making, setMaking] = useState(false);
  const { picked, count, area, setArea, angle, setAngle } = picking;
  const some = Object.entries(picked ?? {}).filter(([, faces]) => faces.length);
  const done = { onSuccess: picking.toggle };
  const put = (name: string | null) =>
    decide.mutate(
      some.map(([target, faces]): Decision => deciding(target, "faces_slot", [{ faces, slot: name }])),
      done,
    );
  const idle = !count || decide.isPending || picking.busy;
  return (
    <div className="max-w-full border border-base-content bg-base-100">
      <form
        aria-label="Picked faces"
        className="flex flex-wrap items-center gap-2 px-2 py-1.5"
        onSubmit={(event) => {
          event.preventDefault();
          put(slot.trim());
        }}
      >
        <span role="status">
          {count
            ? `${whole(count)} face${count === 1 ? "" : "s"} picked`
            : "Press faces in the view, twice for their smooth surface"}
        </span>
        <label
          className="flex items-center gap-1"
          title="Drag over the view: faces that look at you, whatever stands before them. Turn the view again with this off."
        >
          <input type="checkbox" checked={area} onChange={(event) => setArea(event.target.checked)} />
          {within ? `area of ${whole(within)} chosen` : "area"}
        </label>
        <Choose
          label="Also"
          options={count ? WAYS : []}
          onPick={(how) => picking.grow(how as How)}
          wide="h-6 w-[88px]"
        />
        <label
          className="flex items-center gap-1"
          title="How far a smooth surface or a plane may bend from face to face"
        >
          up to
          <NumberField label="Bend, degrees" value={angle} range={ANGLE} className="w-12" onSet={setAngle} />°
        </label>
        <input
          className="field h-6 w-28"
          list="slots"
          aria-label="Slot"
          placeholder="slot"
          value={slot}
          onChange={(event) => setSlot(event.target.value)}
        />
        <datalist id="slots">
          {materials.map((material) => (
            <option key={material.id} value={material.name} />
          ))}
        </datalist>
        <button className="press h-6 px-2" disabled={idle || !slot.trim()}>
          Put in slot
        </button>
        <button
          type="button"
          className="press h-6 px-2"
          disabled={idle}
          aria-expanded={making}
          onClick={() => setMaking(!making)}
        >
          New material
        </button>
        <button
          type="button"
          className="press h-6 px-2"
          disabled={idle}
          onClick={() =>
            decide.mutate(
              some.map(([target, faces]) => deciding(target, "turn_picked", faces)),
              done,
            )
          }
        >
          Turn round
        </button>
        <button type="button" className="press h-6 px-2" disabled={idle} onClick={() => put(null)}>
          Take away
        </button>
        {(decide.error ?? picking.problem) && (
          <span role="alert" className="text-primary">
            {decide.error?.message ?? picking.problem}
          </span>
        )}
      </form>
      {making && count > 0 && (
        <NewMaterial
          move={move}
          materials={materials}
          on={[]}
          faces={Object.fromEntries(some)}
          told={`on ${whole(count)} face${count === 1 ? "" : "s"}`}
          onDone={picking.toggle}
        />
      )}
    </div>
  );
}
