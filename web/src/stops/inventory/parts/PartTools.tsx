import { useMemo, useState } from "react";

import type { Inventory } from "../../../api/client";
import { deciding, type Field, type ValueOf } from "../../../api/decisions";
import { useDecide, useLeaveOut, useTakeAlong } from "../../../api/hooks";
import { Choose } from "../../../ui/Choose";
import { Notice } from "../../../ui/Notice";
import { Rename } from "../Rename";
import { Grouping } from "./Grouping";
import { PartTags } from "./PartTags";
import { Place } from "./Place";
import { partsOf, treeOf } from "../../../parts/tree";
import { Wear } from "./Wear";

interface Props {
  move: number;
  inventory: Inventory;
  chosen: string[];
  onChoose: (ids: string[]) => void;
}

/** What can be done to the chosen parts and groups, by name and number. Each press is a decision: undoable, kept for the next revision. */
export function PartTools({ move, inventory, chosen, onChoose }: Props) {
  const decide = useDecide(move);
  const leave = useLeaveOut(move);
  const along = useTakeAlong(move);
  const [wide, setWide] = useState(false);
  const tree = useMemo(() => treeOf(inventory), [inventory]);
  const groups = inventory.groups.filter((group) => chosen.includes(group.id));
  const parts = partsOf(tree, new Set(chosen));
  const each = <F extends Field>(field: F, value: ValueOf<F>, on: string[] = parts) =>
    decide.mutate(on.map((target) => deciding(target, field, value)));
  const act = <F extends Field>(label: string, field: F, value: ValueOf<F>, on: string[] = parts) => (
    <button key={label} className="press" disabled={decide.isPending} onClick={() => each(field, value, on)}>
      {label}
    </button>
  );
  const ids = inventory.ids.filter((one) => parts.includes(one.part));
  const layered = inventory.parts.some((part) => parts.includes(part.id) && part.layers.length);
  const placed = [...inventory.parts, ...groups]
    .filter((one) => chosen.includes(one.id))
    .map((one) => one.place);
  const place = placed.every((one) => JSON.stringify(one) === JSON.stringify(placed[0]))
    ? (placed[0] ?? null)
    : null;
  const others = inventory.parts.filter((part) => !chosen.includes(part.id));
  const told = groups.length
    ? `${groups.length === 1 ? groups[0]!.name : `${groups.length} groups`}, ${parts.length} part${parts.length === 1 ? "" : "s"}`
    : `${parts.length} chosen`;
  return (
    <div className="flex max-h-[60%] shrink-0 flex-col border-t border-base-300">
      <div className="flex flex-wrap items-center gap-2 px-4 py-2">
        <span className="min-w-[90px] flex-1 truncate text-soft">{told}</span>
        <button className="press" disabled={decide.isPending} onClick={() => leave.mutate(chosen)}>
          Leave out
        </button>
        <button className="press" disabled={decide.isPending} onClick={() => along.mutate(chosen)}>
          Take along
        </button>
        {act("Turn faces", "turn_faces", true)}
        <button className="press" aria-expanded={wide} onClick={() => setWide(!wide)}>
          {wide ? "Fewer tools" : "More tools"}
        </button>
      </div>
      <Wear move={move} inventory={inventory} on={chosen} parts={parts} />
      {(decide.error ?? leave.error ?? along.error) && (
        <Notice error={decide.error ?? leave.error ?? along.error} />
      )}
      {wide && (
        <div className="min-h-0 overflow-y-auto bg-base-100">
          <Rename move={move} ids={chosen} />
          <Place
            key={`${chosen.join()} ${JSON.stringify(place)}`}
            place={place}
            mixed={placed.some(Boolean) && !place}
            busy={decide.isPending}
            onPlace={(value) => each("place", value, chosen)}
          >
            {act("Stand on the ground", "stand_on_ground", true, chosen)}
            <Choose
              label="Stand on"
              options={others.map((part) => [part.id, part.name])}
              onPick={(id) => each("stand_on", id, chosen)}
              wide="w-[110px]"
            />
            {act("Pivot to the middle", "center_pivot", true)}
            {act("Apply transform", "apply_transform", true)}
          </Place>
          <Shelf title="Faces">
            {act("Make neighbours agree", "unify_faces", true)}
            {act("Drop faces without area", "drop_degenerate", true)}
            {act("Drop doubles", "drop_doubles", true)}
            {act("Weld at 0.1 mm", "weld", 0.0001)}
          </Shelf>
          <Shelf title="Normals, UVs, colours">
            {[0, 30, 60, 180].map((angle) =>
              act(
                angle === 0 ? "All hard" : angle === 180 ? "All smooth" : `Hard above ${angle}°`,
                "normals_angle",
                angle,
              ),
            )}
            {act("Make UVs", "make_uvs", true)}
            {act("UVs near the origin", "near_uvs", true)}
            {act("UVs by a box, 1 m a repeat", "box_uvs", 1)}
            {act("Remove vertex colours", "vertex_color", false)}
          </Shelf>
          <Shelf title="Slots from">
            {act("Vertex colours", "slots_from", "vertex_color")}
            {act("Pieces", "slots_from", "pieces")}
            {act("The part", "slots_from", "part")}
            {act("Its group", "slots_from", "group")}
            {layered && act("Its layer", "slots_from", "layer")}
            <Choose
              label="ID image"
              options={inventory.images
                .filter((image) => !image.problem)
                .map((image) => [image.id, image.name])}
              onPick={(image) => each("slots_from", { image })}
            />
          </Shelf>
          <Shelf title="Place in the tree">
            <Grouping move={move} inventory={inventory} chosen={chosen} groups={groups} onChoose={onChoose} />
            {parts.length === 1 && chosen.length === 1 && (
              <Choose
                label="Swap for"
                options={others.map((part) => [part.id, part.name])}
                onPick={(id) => each("swap", id)}
              />
            )}
          </Shelf>
          <PartTags
            key={`tags ${parts.join()}`}
            move={move}
            parts={inventory.parts.filter((part) => parts.includes(part.id))}
          />
          {ids.map((one) => (
            <section key={one.part} className="border-t border-base-300 px-4 py-2">
              <h3>{one.colors.length} ID colours</h3>
              <div className="my-1 flex flex-wrap gap-1.5">
                {one.colors.map((color, number) => (
                  <span key={number} className="flex items-center gap-1 font-mono text-[12px]">
                    <span
                      className="h-4 w-4 border border-base-content"
                      style={{ background: `rgb(${color.map((v) => Math.round(v * 255)).join(" ")})` }}
                    />
                    {number + 1}
                  </span>
                ))}
              </div>
              <p className="text-soft">
                Nearest two: ΔE {(one.separation.normal ?? 0).toFixed(1)}; without red cones{" "}
                {(one.separation.protan ?? 0).toFixed(1)}, green {(one.separation.deutan ?? 0).toFixed(1)},
                blue {(one.separation.tritan ?? 0).toFixed(1)}.
              </p>
              {act("Give new colours that stay apart", "new_id_colors", true)}
            </section>
          ))}
        </div>
      )}
    </div>
  );
}

function Shelf({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <section className="border-t border-base-300 px-4 py-2">
      <h3 className="mb-1">{title}</h3>
      <div className="flex flex-wrap gap-1.5">{children}</div>
    </section>
  );
}
