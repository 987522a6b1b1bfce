import { useState } from "react";

import type { Inventory } from "../../api/client";
import { deciding, type Field, type ValueOf } from "../../api/decisions";
import { useDecide } from "../../api/hooks";
import { Notice } from "../../ui/Notice";
import { PartTags } from "./PartTags";
import { Rename } from "./Rename";

interface Props {
  move: number;
  inventory: Inventory;
  chosen: string[];
}

const AXES = ["x", "y", "z"] as const;

/** What can be done to the chosen parts, by name and number. Each press is a decision: undoable, kept for the next revision. */
export function PartTools({ move, inventory, chosen }: Props) {
  const decide = useDecide(move);
  const [wide, setWide] = useState(false);
  const each = <F extends Field>(field: F, value: ValueOf<F>) =>
    decide.mutate(chosen.map((target) => deciding(target, field, value)));
  const act = <F extends Field>(label: string, field: F, value: ValueOf<F>) => (
    <button key={label} className="press" disabled={decide.isPending} onClick={() => each(field, value)}>
      {label}
    </button>
  );
  const ids = inventory.ids.filter((one) => chosen.includes(one.part));
  const layered = inventory.parts.some((part) => chosen.includes(part.id) && part.layers.length);
  const placed = inventory.parts.filter((part) => chosen.includes(part.id)).map((part) => part.place);
  const place = placed.every((one) => JSON.stringify(one) === JSON.stringify(placed[0]))
    ? (placed[0] ?? null)
    : null;
  const others = inventory.parts.filter((part) => !chosen.includes(part.id));
  return (
    <div className="flex max-h-[60%] shrink-0 flex-col border-t border-base-300">
      <div className="flex flex-wrap items-center gap-2 px-4 py-2">
        <span className="flex-1 text-soft">{chosen.length} chosen</span>
        {act("Leave out", "include", false)}
        {act("Take along", "include", true)}
        {act("Turn faces", "turn_faces", true)}
        <button className="press" aria-expanded={wide} onClick={() => setWide(!wide)}>
          {wide ? "Fewer tools" : "More tools"}
        </button>
      </div>
      {decide.error && <Notice error={decide.error} />}
      {wide && (
        <div className="min-h-0 overflow-y-auto bg-base-100">
          <Rename move={move} ids={chosen} />
          <Place
            key={`${chosen.join()} ${JSON.stringify(place)}`}
            place={place}
            mixed={placed.some(Boolean) && !place}
            busy={decide.isPending}
            onPlace={(value) => each("place", value)}
          >
            {act("Stand on the ground", "stand_on_ground", true)}
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
            <Choose
              label="Move to group"
              options={[
                ["", "no group"],
                ...inventory.groups.map((group) => [group.id, group.name] as [string, string]),
              ]}
              onPick={(id) => each("parent", id || null)}
            />
            {chosen.length === 1 && (
              <Choose
                label="Swap for"
                options={others.map((part) => [part.id, part.name])}
                onPick={(id) => each("swap", id)}
              />
            )}
          </Shelf>
          <PartTags
            key={`tags ${chosen.join()}`}
            move={move}
            parts={inventory.parts.filter((part) => chosen.includes(part.id))}
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

export function Choose({
  label,
  options,
  onPick,
}: {
  label: string;
  options: [string, string][];
  onPick: (id: string) => void;
}) {
  return (
    <select
      className="field max-w-[190px]"
      aria-label={label}
      value="-"
      disabled={!options.length}
      onChange={(event) => onPick(event.target.value)}
    >
      <option value="-" disabled>
        {label}…
      </option>
      {options.map(([id, name]) => (
        <option key={id} value={id}>
          {name}
        </option>
      ))}
    </select>
  );
}

/** Moved, turned and sized by numbers: those that were decided last, the whole change and not one more step. */
function Place({
  place,
  mixed,
  busy,
  onPlace,
  children,
}: {
  place: Inventory["parts"][number]["place"];
  mixed: boolean;
  busy: boolean;
  onPlace: (value: Record<string, unknown>) => void;
  children: React.ReactNode;
}) {
  const [move, setMove] = useState((place?.move_m ?? [0, 0, 0]).map(String));
  const [turn, setTurn] = useState((place?.turn_deg ?? [0, 0, 0]).map(String));
  const [size, setSize] = useState(String(place?.size ?? 1));
  const row = (label: string, unit: string, values: string[], put: (values: string[]) => void) => (
    <div className="flex items-center gap-2">
      <span className="w-12">{label}</span>
      {AXES.map((axis, at) => (
        <label key={axis} className="flex items-center gap-1">
          <span className="font-mono text-[12px] text-soft">{axis}</span>
          <input
            className="field w-20 text-right font-mono"
            inputMode="decimal"
            aria-label={`${label} ${axis}`}
            value={values[at]}
            onChange={(event) => put(values.map((value, k) => (k === at ? event.target.value : value)))}
          />
        </label>
      ))}
      <span className="text-soft">{unit}</span>
    </div>
  );
  const numbers = (values: string[]) => values.map(Number);
  const sound =
    [...move, ...turn, size].every((value) => value.trim() !== "" && Number.isFinite(Number(value))) &&
    Number(size) > 0;
  return (
    <section className="border-t border-base-300 px-4 py-2">
      <h3 className="mb-1">Place</h3>
      <form
        className="flex flex-col gap-1.5"
        onSubmit={(event) => {
          event.preventDefault();
          onPlace({ move_m: numbers(move), turn_deg: numbers(turn), size: Number(size) });
        }}
      >
        {row("Move", "m", move, setMove)}
        {row("Turn", "°", turn, setTurn)}
        <div className="flex items-center gap-2">
          <span className="w-12">Size</span>
          <label className="flex items-center gap-1">
            <span className="font-mono text-[12px] text-soft">×</span>
            <input
              className="field w-20 text-right font-mono"
              inputMode="decimal"
              aria-label="Size"
              value={size}
              onChange={(event) => setSize(event.target.value)}
            />
          </label>
          <button className="press" disabled={!sound || busy}>
            Place
          </button>
          {sound && mixed && <span className="text-soft">They are placed differently now.</span>}
          {!sound && <span className="text-primary">Numbers only; the size above zero.</span>}
        </div>
      </form>
      <div className="mt-2 flex flex-wrap gap-1.5">{children}</div>
    </section>
  );
}
