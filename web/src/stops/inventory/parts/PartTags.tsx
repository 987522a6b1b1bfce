import { useState } from "react";

import type { Part } from "../../../api/client";
import { type Decision, deciding, type Field, type ValueOf } from "../../../api/decisions";
import { useCollision } from "../../../api/facts";
import { useDecide } from "../../../api/hooks";
import { Notice } from "../../../ui/Notice";

const WORDS = [
  "wood",
  "cloth",
  "brass",
  "iron",
  "glass",
  "wax",
  "paper",
  "leather",
  "plaster",
  "stone",
  "earth",
  "skin",
];
const SHAPES: [string, string][] = [
  ["", "unsaid"],
  ["none", "no obstacle"],
  ["box", "a box"],
  ["hull", "a hull"],
  ["pieces", "a hull for each piece"],
  ["mesh", "the mesh itself"],
];
const yes = (value: boolean | null) => (value === null ? "" : value ? "yes" : "no");
const fromYes = (text: string) => (text === "" ? null : text === "yes");

/** What a destination may want to know of parts beyond their look, and how many triangles they may have. */
export function PartTags({ move, parts }: { move: number; parts: Part[] }) {
  const decide = useDecide(move);
  const first = parts[0];
  const costs = useCollision(move, parts.length === 1 ? (first?.id ?? null) : null);
  const [surface, setSurface] = useState(first?.tags.surface ?? "");
  const [budget, setBudget] = useState("");
  if (!first) return null;
  const each = <F extends Field>(field: F, value: ValueOf<F>) =>
    decide.mutate(parts.map((part) => deciding(part.id, field, value)));
  const same = <K extends keyof Part["tags"]>(key: K) =>
    parts.every((part) => part.tags[key] === first.tags[key]) ? first.tags[key] : null;
  const cost = costs.data?.find((one) => one.shape === first.tags.collision);
  const count = parts.reduce((sum, part) => sum + part.triangles, 0);
  return (
    <section className="border-t border-base-300 px-4 py-2" aria-label="What it is">
      <h3 className="mb-1">What it is</h3>
      <div className="flex flex-wrap items-end gap-3">
        <form
          onSubmit={(event) => {
            event.preventDefault();
            each("surface", surface.trim() || null);
          }}
        >
          <label>
            <span className="block text-[12px] text-soft">Surface, for sound and marks</span>
            <input
              className="field w-32"
              list="surface-words"
              value={surface}
              onChange={(event) => setSurface(event.target.value)}
              onBlur={() =>
                surface.trim() !== (same("surface") ?? "") && each("surface", surface.trim() || null)
              }
            />
          </label>
          <datalist id="surface-words">
            {WORDS.map((word) => (
              <option key={word} value={word} />
            ))}
          </datalist>
        </form>
        <label>
          <span className="block text-[12px] text-soft">Collides as</span>
          <select
            className="field"
            value={same("collision") ?? ""}
            disabled={decide.isPending}
            onChange={(event) => each("collision", (event.target.value || null) as ValueOf<"collision">)}
          >
            {SHAPES.map(([value, words]) => {
              const price = costs.data?.find((one) => one.shape === value);
              return (
                <option key={value} value={value}>
                  {words}
                  {price ? ` · ${price.triangles} triangles` : ""}
                </option>
              );
            })}
          </select>
        </label>
        <label>
          <span className="block text-[12px] text-soft">Moves</span>
          <select
            className="field"
            value={yes(same("still") === null ? null : !same("still"))}
            disabled={decide.isPending}
            onChange={(event) =>
              each("still", event.target.value === "" ? null : event.target.value === "no")
            }
          >
            <option value="">unsaid</option>
            <option value="no">still</option>
            <option value="yes">moves</option>
          </select>
        </label>
        <label>
          <span className="block text-[12px] text-soft">Casts shadows</span>
          <select
            className="field"
            value={yes(same("casts_shadow"))}
            disabled={decide.isPending}
            onChange={(event) => each("casts_shadow", fromYes(event.target.value))}
          >
            <option value="">unsaid</option>
            <option value="yes">yes</option>
            <option value="no">no</option>
          </select>
        </label>
      </div>
      {cost && (
        <p className="mt-1 text-[12px] text-soft">
          {cost.pieces} piece{cost.pieces === 1 ? "" : "s"}, {cost.triangles} triangles, {cost.vertices}{" "}
          vertices{cost.volume_m3 !== null ? `, ${cost.volume_m3.toPrecision(3)} m³` : ""}.
        </p>
      )}
      <h3 className="mt-3 mb-1">Triangles on arrival</h3>
      <div className="flex flex-wrap items-end gap-3">
        <form
          className="flex items-end gap-1"
          onSubmit={(event) => {
            event.preventDefault();
            if (/^\d+$/.test(budget.trim()) && Number(budget) > 0) each("triangles", Number(budget));
          }}
        >
          <label>
            <span className="block text-[12px] text-soft">At most, each</span>
            <input
              className="field w-24 font-mono"
              inputMode="numeric"
              placeholder={String(Math.round(count / parts.length))}
              value={budget}
              onChange={(event) => setBudget(event.target.value)}
            />
          </label>
          <button className="press" disabled={decide.isPending || !/^\d+$/.test(budget.trim())}>
            Set
          </button>
        </form>
        <label>
          <span className="block text-[12px] text-soft">Or subdivided</span>
          <select
            className="field"
            defaultValue=""
            disabled={decide.isPending}
            onChange={(event) => event.target.value && each("subdivide", Number(event.target.value))}
          >
            <option value="">…</option>
            <option value="0">not at all</option>
            <option value="1">once, ×4</option>
            <option value="2">twice, ×16</option>
            <option value="3">three times, ×64</option>
          </select>
        </label>
        <label>
          <span className="block text-[12px] text-soft">Quads are cut</span>
          <select
            className="field"
            defaultValue=""
            disabled={decide.isPending}
            onChange={(event) =>
              event.target.value &&
              each(
                "diagonals",
                event.target.value === "given" ? null : (event.target.value as ValueOf<"diagonals">),
              )
            }
          >
            <option value="">choose</option>
            <option value="shorter">along the shorter diagonal</option>
            <option value="flatter">where they fold least</option>
            <option value="given">as they came</option>
          </select>
        </label>
        <button
          className="press"
          disabled={decide.isPending}
          onClick={() =>
            decide.mutate(
              parts.flatMap((part): Decision[] => [
                { target: part.id, field: "triangles", value: null },
                { target: part.id, field: "subdivide", value: null },
              ]),
            )
          }
        >
          As they are
        </button>
      </div>
      <p className="mt-1 text-[12px] text-soft">
        Done on the way to the destination; Fit tells how far the surface moves.
      </p>
      {decide.error && <Notice error={decide.error} />}
    </section>
  );
}
