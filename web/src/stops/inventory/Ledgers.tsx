import { useCallback, useState } from "react";

import {
  type Camera,
  type ImageFile,
  type Inventory,
  type Light,
  type Material,
  pictures,
} from "../../api/client";
import { useDecide } from "../../api/hooks";
import { Choose } from "../../ui/Choose";
import { Ledger } from "../../ui/Ledger";
import { Notice } from "../../ui/Notice";
import { offMiddle } from "../../view/offMiddle";
import { ImageViewer } from "./ImageViewer";

import { Rename } from "./Rename";

const materialId = (material: Material) => material.id;
const materialText = (material: Material) => material.name;

export function Materials({
  move,
  inventory,
  onParts,
}: {
  move: number;
  inventory: Inventory;
  onParts: (ids: string[]) => void;
}) {
  const decide = useDecide(move);
  const [chosen, setChosen] = useState<string[]>([]);
  const some = chosen.filter((id) => inventory.materials.some((material) => material.id === id));
  const others = inventory.materials.filter((material) => !some.includes(material.id));
  return (
    <>
      <Ledger
        label="materials"
        rows={inventory.materials}
        idOf={materialId}
        textOf={materialText}
        height={54}
        chosen={chosen}
        empty="There are no materials. Parts arrive grey."
        onChoose={(ids) => {
          setChosen(ids);
          onParts(
            inventory.parts
              .filter((part) => part.materials.some((material) => ids.includes(material)))
              .map((part) => part.id),
          );
        }}
        render={(material) => (
          <>
            <img
              src={pictures.sample(move, material.id, inventory.view)}
              alt=""
              loading="lazy"
              className="mr-3 h-[38px] w-[38px] bg-booth"
            />
            <span className="min-w-0 flex-1">
              <span className="block truncate font-semibold">{material.name}</span>
              <span className="block truncate text-[12px] text-soft">
                {material.inputs.map((input) => input.label.toLowerCase()).join(", ")}
              </span>
            </span>
            <span className="pl-2 text-right text-[12px] text-soft">
              {material.parts ? `${material.parts} part${material.parts === 1 ? "" : "s"}` : "not worn"}
              <span className="block">{material.double_sided ? "two-sided" : ""}</span>
            </span>
          </>
        )}
      />
      {some.length > 0 && (
        <div className="shrink-0 border-t border-base-300 bg-base-100">
          <div className="flex flex-wrap items-center gap-2 px-4 py-2">
            <span className="flex-1 text-soft">{some.length} chosen</span>
            <button
              className="press"
              onClick={() =>
                decide.mutate(some.map((target) => ({ target, field: "double_sided", value: true })))
              }
            >
              Draw both sides
            </button>
            <Choose
              label="Merge into"
              options={others.map((material) => [material.id, material.name])}
              onPick={(value) =>
                decide.mutate(some.map((target) => ({ target, field: "merge_into", value })))
              }
            />
            <Choose
              label="Take the look of"
              options={others.map((material) => [material.id, material.name])}
              onPick={(value) =>
                decide.mutate(some.map((target) => ({ target, field: "use_material", value })))
              }
            />
          </div>
          {decide.error && <Notice error={decide.error} />}
          <Rename move={move} ids={some} />
        </div>
      )}
    </>
  );
}

const imageId = (image: ImageFile) => image.id;
const imageText = (image: ImageFile) => `${image.path} ${image.used_by.join(" ")}`;

export function Images({ move, inventory }: { move: number; inventory: Inventory }) {
  const [chosen, setChosen] = useState<string[]>([]);
  const shown = inventory.images.find((image) => image.id === chosen[0]);
  const render = useCallback(
    (image: ImageFile) => (
      <>
        {image.problem ? (
          <span className="hatch mr-3 h-[38px] w-[38px] border border-base-300" title={image.problem} />
        ) : (
          <img
            src={pictures.image(move, image.id, 76)}
            alt=""
            loading="lazy"
            className="mr-3 h-[38px] w-[38px] bg-booth object-cover"
          />
        )}
        <span className="min-w-0 flex-1">
          <span className="block truncate font-mono text-[12px]">{image.name}</span>
          <span className="block truncate text-[12px] text-soft">
            {image.used_by.join("; ") || "not used"}
          </span>
        </span>
        <span className="w-32 text-right font-mono text-[12px] text-soft">
          {image.problem ? "missing" : `${image.width} × ${image.height}`}
        </span>
      </>
    ),
    [move],
  );
  return (
    <>
      <Ledger
        label="images"
        rows={inventory.images}
        idOf={imageId}
        textOf={imageText}
        height={54}
        chosen={chosen}
        onChoose={setChosen}
        empty="There are no images."
        render={render}
      />
      {shown && <ImageViewer key={shown.id} move={move} image={shown} />}
    </>
  );
}

const lightId = (light: Light) => light.id;
const lightText = (light: Light) => `${light.name} ${light.kind}`;

export function Lights({ move, inventory }: { move: number; inventory: Inventory }) {
  const decide = useDecide(move);
  const [chosen, setChosen] = useState<string[]>([]);
  return (
    <>
      <Ledger
        label="lights"
        rows={inventory.lights}
        idOf={lightId}
        textOf={lightText}
        chosen={chosen}
        onChoose={setChosen}
        empty="No lights came along. The environment and what glows light the scene."
        render={(light) => (
          <>
            <span className={`min-w-0 flex-1 truncate ${light.enabled ? "" : "text-soft line-through"}`}>
              {light.name}
            </span>
            <span className="w-20 text-soft">{light.kind}</span>
            <span className="w-24 text-right font-mono text-[12px]">
              {light.received_intensity.toFixed(1)} {light.unit}
            </span>
          </>
        )}
      />
      {chosen.length > 0 && (
        <div className="flex shrink-0 items-center gap-2 border-t border-base-300 px-4 py-2">
          <span className="flex-1 text-soft">{chosen.length} chosen</span>
          {[["Switch off", false] as const, ["Switch on", true] as const].map(([label, value]) => (
            <button
              key={label}
              className="press"
              disabled={decide.isPending}
              onClick={() => decide.mutate(chosen.map((target) => ({ target, field: "enabled", value })))}
            >
              {label}
            </button>
          ))}
        </div>
      )}
    </>
  );
}

const cameraId = (camera: Camera) => camera.id;
const cameraText = (camera: Camera) => camera.name;

export function Cameras({ inventory, onShow }: { inventory: Inventory; onShow: (id: string) => void }) {
  const [chosen, setChosen] = useState<string[]>([]);
  return (
    <Ledger
      label="cameras"
      rows={inventory.cameras}
      idOf={cameraId}
      textOf={cameraText}
      chosen={chosen}
      onChoose={(ids) => {
        setChosen(ids);
        if (ids[0]) onShow(ids[0]);
      }}
      empty="No cameras came along. The proof frames everything from the front."
      render={(camera) => (
        <>
          <span className="min-w-0 flex-1 truncate">{camera.name}</span>
          <span className="font-mono text-[12px] text-soft">
            {camera.yfov_deg.toFixed(0)}° high
            {offMiddle(camera.shift) && ", frame off its middle"}
          </span>
        </>
      )}
    />
  );
}
