import { useState } from "react";

import type { Decision, Material } from "../../../api/client";
import { deciding } from "../../../api/decisions";
import { useDecide } from "../../../api/hooks";
import { useCoverHoles, useFillFrame } from "../../../api/pointing";
import { NewMaterial } from "../../../materials/NewMaterial";
import { Choose } from "../../../ui/Choose";
import { whole } from "../../../ui/format";
import { NumberField } from "../../../ui/NumberField";
import type { How, PickBy, Picking } from "./usePicked";

const WAYS: [How, string][] = [
  ["more", "one ring more"],
  ["fewer", "one ring fewer"],
  ["plane", "all in their plane"],
  ["smooth", "all of their smooth surface"],
  ["connected", "all that hangs together"],
  ["slot", "all of their slot"],
];
const BY: [PickBy, string][] = [
  ["press", "one by one"],
  ["rectangle", "by a rectangle"],
  ["brush", "by a brush"],
];
const FILLS: [string, string][] = [
  ["opening", "an opening for the surroundings"],
  ["panel", "a panel that shines"],
];
const BRUSH = { words: "pixels from 2 to 300", minimum: 2, maximum: 300 };
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
  const { picked, count, by, angle, setAngle } = picking;
  const cover = useCoverHoles(move);
  const fill = useFillFrame(move);
  const some = Object.entries(picked ?? {}).filter(([, faces]) => faces.length);
  const done = { onSuccess: picking.toggle };
  const problem = decide.error?.message ?? cover.error?.message ?? fill.error?.message ?? picking.problem;
  const put = (name: string | null) =>
    decide.mutate(
      some.map(([target, faces]): Decision => deciding(target, "faces_slot", [{ faces, slot: name }])),
      done,
    );
  const idle = !count || decide.isPending || cover.isPending || fill.isPending || picking.busy;
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
            : by === "press"
              ? "Press faces in the view, twice for their smooth surface"
              : "Draw over the faces in the view"}
        </span>
        <select
          className="field h-6"
          aria-label="How faces are picked"
          title="Drawn over the view, which then stands still."
          value={by}
          onChange={(event) => picking.setBy(event.target.value as PickBy)}
        >
          {BY.map(([key, words]) => (
            <option key={key} value={key}>
              {words}
            </option>
          ))}
        </select>
        {by === "brush" && (
          <NumberField
            label="Brush, pixels"
            value={picking.brush_px}
            range={BRUSH}
            className="w-12"
            onSet={picking.setBrush}
          />
        )}
        {by !== "press" && (
          <>
            <label
              className="flex items-center gap-1"
              title="Also what is hidden or looks away; else only what is seen."
            >
              <input
                type="checkbox"
                checked={picking.through}
                onChange={(event) => picking.setThrough(event.target.checked)}
              />
              all through
            </label>
            <label className="flex items-center gap-1">
              <input
                type="checkbox"
                checked={picking.off}
                onChange={(event) => picking.setOff(event.target.checked)}
              />
              take off
            </label>
            {within > 0 && <span className="text-soft">of {whole(within)} chosen</span>}
          </>
        )}
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
        <button
          type="button"
          className="press h-6 px-2"
          disabled={idle}
          title="Closes the openings beside the picked faces"
          onClick={() => cover.mutate(Object.fromEntries(some), done)}
        >
          Cover the hole
        </button>
        <Choose
          label="Fill the frame with"
          options={idle ? [] : FILLS}
          onPick={(what) =>
            fill.mutate({ faces: Object.fromEntries(some), what: what as "opening" | "panel" }, done)
          }
          wide="h-6 w-[150px]"
        />
        {problem && (
          <span role="alert" className="text-primary">
            {problem}
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
