import { type MouseEvent, useState } from "react";

import { api, got, type Material, pictures } from "../../api/client";
import { Notice } from "../../ui/Notice";
import { ImageSelect } from "./ImageSelect";

interface Picked {
  linear: number[];
  from: string;
}

/** An exact colour out of an image of the delivery, or the one another material has. Numbers are linear, as materials hold them. */
export function ColorPick({
  move,
  images,
  materials,
  own,
  onPick,
  onShare,
}: {
  move: number;
  images: { id: string; name: string }[];
  materials: Material[];
  own: string;
  onPick: (linear: number[]) => void;
  onShare: (from: string) => void;
}) {
  const [image, setImage] = useState("");
  const [picked, setPicked] = useState<Picked | null>(null);
  const [error, setError] = useState<Error | null>(null);
  const shared = new Map<string, { linear: number[]; names: string[]; from: string }>();
  for (const material of materials)
    for (const input of material.inputs) {
      if (
        `${material.id}/${input.name}` === own ||
        input.factor.length !== 3 ||
        input.image ||
        input.name === "normal" ||
        input.factor.some((v) => v === null)
      )
        continue;
      const key = input.factor.join(" ");
      const held = shared.get(key) ?? {
        linear: input.factor as number[],
        names: [],
        from: `${material.id}/${input.name}`,
      };
      if (!held.names.includes(material.name)) held.names.push(material.name);
      shared.set(key, held);
    }
  const pick = (event: MouseEvent<HTMLImageElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const [u, v] = [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height];
    got(
      api.GET("/api/moves/{move_id}/texel", { params: { path: { move_id: move }, query: { image, u, v } } }),
    ).then(
      (found) => {
        setError(null);
        setPicked({
          linear: found.linear,
          from: `${images.find((one) => one.id === image)?.name ?? ""} at ${found.x}, ${found.y}`,
        });
      },
      (reason: unknown) => setError(reason instanceof Error ? reason : new Error("It cannot be read.")),
    );
  };
  return (
    <div className="mt-2 flex flex-wrap items-start gap-4 border border-base-300 p-2">
      <div>
        <ImageSelect
          label="Out of an image"
          none="choose one"
          images={images}
          value={image}
          onChange={setImage}
        />
        {image && (
          <img
            src={pictures.image(move, image, 512)}
            alt="Press where the colour is"
            title="Press where the colour is"
            className="mt-2 max-h-48 max-w-56 cursor-crosshair border border-base-300 bg-booth"
            onClick={pick}
          />
        )}
        {picked && (
          <p className="mt-2 flex items-center gap-2">
            <Chip linear={picked.linear} />
            <span className="font-mono text-[12px]">{picked.linear.map((v) => v.toFixed(4)).join(" ")}</span>
            <button className="press" onClick={() => onPick(picked.linear)}>
              Take it
            </button>
            <span className="text-[12px] text-soft">{picked.from}</span>
          </p>
        )}
        {error && <Notice error={error} />}
      </div>
      <div className="min-w-0 flex-1">
        <span className="block text-[12px] text-soft">As another material has it</span>
        {shared.size === 0 && <p>No material has a colour without an image.</p>}
        <ul className="max-h-56 overflow-y-auto">
          {[...shared.values()].map(({ linear, names, from }) => (
            <li key={linear.join(" ")} className="flex items-center gap-2 py-0.5">
              <Chip linear={linear} />
              <button className="min-w-0 truncate hover:underline" onClick={() => onPick(linear)}>
                {names.join(", ")}
              </button>
              <button
                className="press ml-auto shrink-0"
                title="Both change together from now on"
                onClick={() => onShare(from)}
              >
                Share it
              </button>
              <span className="font-mono text-[12px] text-soft">
                {linear.map((v) => v.toFixed(3)).join(" ")}
              </span>
            </li>
          ))}
        </ul>
      </div>
    </div>
  );
}

function Chip({ linear }: { linear: number[] }) {
  return (
    <span
      aria-hidden
      className="h-4 w-4 shrink-0 border border-base-content"
      style={{ background: `color(srgb-linear ${linear.map((v) => Math.min(Math.max(v, 0), 1)).join(" ")})` }}
    />
  );
}
