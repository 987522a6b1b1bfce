import { useState } from "react";

import type { Material } from "../api/client";
import { useMakeMaterial, useShelf } from "../api/hooks";
import { useFromKept, useKept } from "../api/shelf";
import { Notice } from "../ui/Notice";

/** A material that nobody sent: its name, what it starts as, and whoever wears it, in one act. */
export function NewMaterial({
  move,
  materials,
  on,
  faces = {},
  told,
  onDone,
}: {
  move: number;
  materials: Material[];
  /** Parts and groups that wear it, and faces by part. */
  on: string[];
  faces?: Record<string, number[]>;
  /** Who wears it, in words. */
  told: string;
  onDone: () => void;
}) {
  const make = useMakeMaterial(move);
  const shelf = useShelf(move, true);
  const [name, setName] = useState("");
  const [start, setStart] = useState("");
  const kept = useKept();
  const fromKept = useFromKept(move);
  const [kind, what] = [start.slice(0, start.indexOf(" ")), start.slice(start.indexOf(" ") + 1)];
  const fallback =
    kind === "shelf"
      ? what
      : kind === "kept"
        ? (kept.data?.find((one) => String(one.id) === what)?.name ?? "")
        : kind === "like"
          ? `${materials.find((m) => m.id === what)?.name ?? ""}, another`
          : "";
  const called = name.trim() || fallback;
  return (
    <form
      aria-label="New material"
      className="flex flex-wrap items-end gap-2 border-t border-base-300 bg-base-100 px-4 py-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (kind === "kept") {
          fromKept.mutate({ kept: Number(what), name: called, on, faces }, { onSuccess: onDone });
          return;
        }
        make.mutate(
          {
            name: called,
            on,
            faces,
            ...(kind === "shelf" ? { shelf: what } : kind === "like" ? { like: what } : {}),
          },
          { onSuccess: onDone },
        );
      }}
    >
      <label className="block">
        <span className="block text-[12px] text-soft">Name</span>
        <input
          className="field w-40"
          value={name}
          placeholder={fallback || "Lacquer"}
          onChange={(event) => setName(event.target.value)}
        />
      </label>
      <label className="block">
        <span className="block text-[12px] text-soft">Starts as</span>
        <select className="field w-48" value={start} onChange={(event) => setStart(event.target.value)}>
          <option value="">plain grey</option>
          {!!kept.data?.length && (
            <optgroup label="one of yours">
              {kept.data.map((one) => (
                <option key={one.id} value={`kept ${one.id}`}>
                  {one.variant_of !== null &&
                    `${kept.data.find((base) => base.id === one.variant_of)?.name ?? ""}, `}
                  {one.name}
                </option>
              ))}
            </optgroup>
          )}
          <optgroup label="one of the shelf">
            {shelf.data?.names.map((one) => (
              <option key={one} value={`shelf ${one}`}>
                {one}
              </option>
            ))}
          </optgroup>
          <optgroup label="a copy of">
            {materials.map((one) => (
              <option key={one.id} value={`like ${one.id}`}>
                {one.name}
              </option>
            ))}
          </optgroup>
        </select>
      </label>
      <button className="press press-main" disabled={!called || make.isPending || fromKept.isPending}>
        Make it {told}
      </button>
      {(make.error ?? fromKept.error) && <Notice error={make.error ?? fromKept.error} />}
    </form>
  );
}
