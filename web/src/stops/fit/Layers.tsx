import { useState } from "react";

import type { Crossing, Layer } from "../../api/client";
import { deciding, type ValueOf } from "../../api/decisions";
import { useDecide } from "../../api/hooks";
import { Choice } from "../../ui/Choice";
import { Notice } from "../../ui/Notice";
import { ImageSelect } from "./ImageSelect";

const BLENDS: Record<Crossing["given"]["blends"][number], string> = {
  over: "covers it",
  multiply: "darkens it (multiply)",
  add: "brightens it (add)",
  screen: "lightens it (screen)",
};
const BENDS = { ...BLENDS, add: "bends it further" };

interface Offered {
  id: string;
  name: string;
}

/** Images laid over an input, decals, washes and finer relief, lowest first. They arrive flattened into one image. */
export function Layers({
  move,
  crossing,
  images,
  relief,
}: {
  move: number;
  crossing: Crossing;
  images: Offered[];
  relief: boolean;
}) {
  const decide = useDecide(move);
  const words = relief ? BENDS : BLENDS;
  const blends = crossing.given.blends.map((blend) => [blend, words[blend]] as const);
  const layers = crossing.given.layers;
  const put = (next: ValueOf<"layers">) => decide.mutate([deciding(crossing.id, "layers", next)]);
  const add = (image: string) => {
    if (!image) return;
    const { uv_set, offset, scale, rotation_rad } = crossing.given;
    const texture = { image, uv_set, offset, scale, rotation_rad };
    put([...layers, relief ? { texture, blend: "add" } : { texture, mask: { ...texture, channels: "a" } }]);
  };
  return (
    <div className="mt-3">
      {layers.length > 0 && (
        <ol aria-label="Layers over it" className="mb-2 border border-base-300">
          {layers.map((layer, at) => (
            <LayerRow
              key={`${at} ${JSON.stringify(layer)}`}
              at={at}
              layer={layer}
              blends={blends}
              once={!relief}
              images={images}
              busy={decide.isPending}
              onChange={(next) => put(layers.map((one, k) => (k === at ? next : one)))}
              onRemove={() => put(layers.filter((_, k) => k !== at))}
              onLower={
                at > 0
                  ? () =>
                      put(layers.map((one, k) => (k === at ? layers[at - 1]! : k === at - 1 ? layer : one)))
                  : undefined
              }
            />
          ))}
        </ol>
      )}
      <ImageSelect
        label={layers.length ? "Lay another image over it" : "Lay an image over it"}
        none={relief ? "finer relief …" : "a decal or a wash …"}
        images={images}
        value=""
        onChange={add}
      />
      {decide.error && <Notice error={decide.error} />}
    </div>
  );
}

function LayerRow({
  at,
  layer,
  blends,
  once,
  images,
  busy,
  onChange,
  onRemove,
  onLower,
}: {
  at: number;
  layer: Layer;
  blends: (readonly [string, string])[];
  once: boolean;
  images: Offered[];
  busy: boolean;
  onChange: (layer: Layer) => void;
  onRemove: () => void;
  onLower?: () => void;
}) {
  const name = (id: string) => images.find((one) => one.id === id)?.name ?? id;
  const [weight, setWeight] = useState(String(Math.round(100 * layer.weight)));
  const [place, setPlace] = useState(
    [layer.texture.offset[0], layer.texture.offset[1], layer.texture.scale[0], layer.texture.scale[1]].map(
      String,
    ),
  );
  const placed = place.map(Number);
  const sound = place.every((text) => text.trim() !== "") && placed.every(Number.isFinite);
  const keepPlace = () => {
    const offset = [placed[0]!, placed[1]!];
    const scale = [placed[2]!, placed[3]!];
    onChange({
      ...layer,
      bounded: once || layer.bounded,
      texture: { ...layer.texture, offset, scale },
      mask: layer.mask && { ...layer.mask, offset, scale },
    });
  };
  const setSet = (uv_set: number) =>
    onChange({
      ...layer,
      texture: { ...layer.texture, uv_set },
      mask: layer.mask && { ...layer.mask, uv_set },
    });
  const keepWeight = () => {
    const value = Number(weight) / 100;
    if (Number.isFinite(value) && value >= 0 && value <= 1 && value !== layer.weight)
      onChange({ ...layer, weight: value });
  };
  return (
    <li className="flex flex-wrap items-end gap-3 border-b border-base-300 p-2 last:border-b-0">
      <span className="w-44 min-w-0 truncate font-mono text-[12px]" title={name(layer.texture.image)}>
        {at + 1}. {name(layer.texture.image)}
      </span>
      <Choice
        label="It"
        value={layer.blend}
        options={blends}
        disabled={busy}
        onChange={(blend) => onChange({ ...layer, blend: blend as Layer["blend"] })}
      />
      <label>
        <span className="block text-[12px] text-soft">Weight, %</span>
        <input
          className="field w-16 font-mono"
          inputMode="decimal"
          value={weight}
          onChange={(event) => setWeight(event.target.value)}
          onBlur={keepWeight}
          onKeyDown={(event) => event.key === "Enter" && keepWeight()}
        />
      </label>
      <Choice
        label="Where its mask says"
        value={layer.mask ? `${layer.mask.image} ${layer.mask.channels}` : ""}
        options={[
          ["", "everywhere"],
          [`${layer.texture.image} a`, "its own alpha"],
          ...images.map((image) => [`${image.id} r`, image.name] as const),
        ]}
        disabled={busy}
        wide="w-40"
        onChange={(chosen) => {
          const at = chosen.lastIndexOf(" ");
          onChange({
            ...layer,
            mask: chosen
              ? {
                  ...layer.texture,
                  image: chosen.slice(0, at),
                  channels: chosen.slice(at + 1) as Layer["texture"]["channels"],
                  encoding: "linear",
                  space: "",
                  invert: false,
                }
              : null,
          });
        }}
      />
      <Choice
        label="UV set"
        value={layer.texture.uv_set}
        options={[0, 1, 2, 3].map((set) => [set, String(set)] as const)}
        disabled={busy}
        onChange={(set) => setSet(Number(set))}
      />
      <form
        className="flex items-end gap-1"
        onSubmit={(event) => {
          event.preventDefault();
          if (sound) keepPlace();
        }}
      >
        {["Offset u", "Offset v", "Repeat u", "Repeat v"].map((words, k) => (
          <label key={words}>
            <span className="block text-[12px] text-soft">{words}</span>
            <input
              className="field w-14 font-mono"
              inputMode="decimal"
              value={place[k]}
              onChange={(event) => setPlace(place.map((old, j) => (j === k ? event.target.value : old)))}
            />
          </label>
        ))}
        <button className="press" disabled={!sound || busy}>
          Place
        </button>
      </form>
      <label className="flex h-[26px] items-center gap-1.5">
        <input
          type="checkbox"
          checked={layer.bounded}
          disabled={busy}
          onChange={(event) => onChange({ ...layer, bounded: event.target.checked })}
        />
        only once
      </label>
      {onLower && (
        <button className="press" disabled={busy} onClick={onLower}>
          Lower
        </button>
      )}
      <button className="press" disabled={busy} onClick={onRemove}>
        Take away
      </button>
    </li>
  );
}
