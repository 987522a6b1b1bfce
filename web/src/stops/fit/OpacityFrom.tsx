import { useState } from "react";

import type { Material } from "../../api/client";
import { deciding, rangeOf, type ValueOf } from "../../api/decisions";
import { useDecide, useImageHere, useInventory } from "../../api/hooks";
import { Notice } from "../../ui/Notice";
import { NumberField } from "../../ui/NumberField";
import { ImageSelect } from "./ImageSelect";

const SHARE = { words: "a number from 0 to 1", minimum: 0, maximum: 1 };

/** How much of what is behind is seen through a material, and where that is written: the colour image's own alpha, another image, or a number. */
export function OpacityFrom({ move, material }: { move: number; material: Material }) {
  const decide = useDecide(move);
  const use = useImageHere(move);
  const inventory = useInventory(move, true);
  const [mode, setMode] = useState<ValueOf<"alpha_mode">>();
  const images = inventory.data?.images.filter((image) => !image.problem) ?? [];
  const base = material.inputs.find((input) => input.name === "base_color");
  const opacity = material.inputs.find((input) => input.name === "opacity");
  const own = images.find((image) => image.id === base?.image);
  const target = `${material.id}/opacity`;
  const asking = mode !== undefined && !opacity;
  const shown = mode ?? material.alpha_mode;
  const withMode = () => (mode ? [deciding(material.id, "alpha_mode", mode)] : []);
  const done = { onSuccess: () => setMode(undefined) };

  function choose(value: ValueOf<"alpha_mode">) {
    if (value === "opaque" || opacity) {
      setMode(undefined);
      decide.mutate([deciding(material.id, "alpha_mode", value)]);
    } else setMode(value);
  }

  return (
    <>
      <label className="flex items-center gap-1.5 text-soft">
        See-through
        <select
          className="field text-base-content"
          value={shown}
          disabled={decide.isPending}
          onChange={(event) => choose(event.target.value as ValueOf<"alpha_mode">)}
        >
          <option value="opaque">solid</option>
          <option value="mask">cut out</option>
          <option value="blend">blended</option>
        </select>
      </label>
      {material.alpha_mode === "mask" && !asking && (
        <label className="flex items-center gap-1.5 text-soft">
          cut at
          <NumberField
            label="Cut at"
            value={material.alpha_cutoff}
            range={rangeOf("alpha_cutoff")}
            className="w-14"
            onSet={(value) => decide.mutate([deciding(material.id, "alpha_cutoff", value)])}
          />
        </label>
      )}
      {asking && (
        <div
          role="group"
          aria-label="Where is the opacity?"
          className="flex w-full flex-wrap items-center gap-2 border border-primary bg-base-100 px-2 py-1.5"
        >
          <span className="font-semibold">Where is the opacity?</span>
          {own && (
            <button
              className="press"
              disabled={decide.isPending || own.channels < 4}
              title={own.channels < 4 ? `${own.name} has no alpha` : own.name}
              onClick={() => use.mutate({ target, image: own.id, besides: withMode() }, done)}
            >
              {own.channels < 4 ? "Its image has no alpha" : "The image’s own alpha"}
            </button>
          )}
          <ImageSelect
            label=""
            name="Image that holds the opacity"
            none="another image …"
            images={images}
            value=""
            onChange={(image) => image && use.mutate({ target, image, besides: withMode() }, done)}
          />
          <span className="text-soft">or</span>
          <NumberField
            label="Opacity as a number"
            value={null}
            empty="0.5"
            range={SHARE}
            onSet={(value) =>
              value !== null && decide.mutate([...withMode(), deciding(target, "factor", [value])], done)
            }
          />
          <button className="underline" onClick={() => setMode(undefined)}>
            Stay {material.alpha_mode === "opaque" ? "solid" : "as it is"}
          </button>
        </div>
      )}
      {!asking && material.alpha_mode !== "opaque" && (
        <span className="text-soft">
          opacity from{" "}
          <span className="text-base-content">
            {opacity?.file
              ? `${opacity.file}${opacity.channels === "a" ? ", its alpha" : ""}`
              : opacity
                ? `the number ${opacity.factor[0] ?? 1}`
                : "nowhere yet"}
          </span>
          {!opacity && (
            <>
              {" "}
              <button
                className="underline"
                onClick={() => setMode(material.alpha_mode as ValueOf<"alpha_mode">)}
              >
                Say where
              </button>
            </>
          )}
        </span>
      )}
      {(decide.error ?? use.error) && <Notice error={decide.error ?? use.error} />}
    </>
  );
}
