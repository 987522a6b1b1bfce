import { useState } from "react";

import type { Crossing, Fit, MaterialInput } from "../../api/client";
import { deciding } from "../../api/decisions";
import { useDecide, useInventory, useSiblings, useSwapInputs } from "../../api/hooks";
import { Notice } from "../../ui/Notice";
import { ColorPick } from "./ColorPick";
import { SetForSlot } from "./Families";
import { ImageSelect } from "./ImageSelect";
import { Layers } from "./Layers";
import { InputValue } from "./InputValue";
import { PaintChoice } from "./PaintChoice";
import { StepStrip } from "./StepStrip";
import { Strength } from "./Strength";

/** Overruling one crossing: another image or channel, a factor, or leaving it out. Every change can be undone. */
export function CrossingEditor({ move, crossing, fit }: { move: number; crossing: Crossing; fit: Fit }) {
  const decide = useDecide(move);
  const inventory = useInventory(move, true);
  const siblings = useSiblings(move, crossing.material, crossing.given.image);
  const given = crossing.given;
  const swap = useSwapInputs(move);
  const [picking, setPicking] = useState(false);
  const known = fit.known.find((one) => one.name === crossing.name);
  const material = fit.materials.find((one) => one.id === crossing.material);
  const partners =
    material?.inputs.filter(
      (one) =>
        one.name !== crossing.name &&
        one.factor.length === given.factor.length &&
        one.name !== "normal" &&
        one.name !== "clearcoat_normal",
    ) ?? [];
  const target = crossing.id;
  const isVector = crossing.name === "normal" || crossing.name === "clearcoat_normal";
  const putImage = (change: { image?: string; channels?: MaterialInput["channels"]; invert?: boolean }) =>
    decide.mutate([
      deciding(target, "image", {
        image: given.image ?? "",
        channels: given.channels,
        invert: given.invert,
        ...change,
      }),
    ]);
  return (
    <div>
      <StepStrip move={move} crossing={crossing} fit={fit} />
      <div className="flex flex-wrap items-end gap-4">
        <ImageSelect
          label="Image"
          none="none, a number only"
          images={inventory.data?.images.filter((image) => !image.problem || image.id === given.image) ?? []}
          value={given.image ?? ""}
          onChange={(image) =>
            image
              ? putImage({ image, channels: given.channels ?? undefined })
              : decide.mutate([{ target, field: "image", value: null }])
          }
        />
        {given.image && given.factor.length === 1 && (
          <label className="block">
            <span className="block text-[12px] text-soft">Channel</span>
            <select
              className="field"
              value={given.channels ?? "r"}
              onChange={(event) => putImage({ channels: event.target.value as MaterialInput["channels"] })}
            >
              {["r", "g", "b", "a"].map((channel) => (
                <option key={channel} value={channel}>
                  {channel.toUpperCase()}
                </option>
              ))}
            </select>
          </label>
        )}
        {given.image && !isVector && (
          <label className="flex h-[26px] items-center gap-1.5">
            <input
              type="checkbox"
              checked={given.invert}
              onChange={(event) => putImage({ invert: event.target.checked })}
            />
            turned over ({crossing.name === "roughness" ? "it is gloss" : "1 − value"})
          </label>
        )}
        {!isVector && known && (
          <label className="block">
            <span className="block text-[12px] text-soft">{given.image ? "Times" : "Value"}</span>
            <InputValue
              move={move}
              target={target}
              known={known}
              factor={given.factor}
              label={crossing.label}
            />
          </label>
        )}
        {given.image && (isVector || crossing.name === "height" || crossing.name === "occlusion") && (
          <Strength move={move} crossing={crossing} repeat_m={fit.repeats_m[crossing.id]} />
        )}
        {given.factor.length === 3 && !isVector && (
          <button className="press" aria-expanded={picking} onClick={() => setPicking(!picking)}>
            As another material
          </button>
        )}
        {!isVector && partners.length > 0 && (
          <label className="block">
            <span className="block text-[12px] text-soft">Swap with</span>
            <select
              className="field"
              value=""
              disabled={swap.isPending}
              onChange={(event) =>
                event.target.value &&
                swap.mutate({ material: crossing.material, first: crossing.name, second: event.target.value })
              }
            >
              <option value="">…</option>
              {partners.map((one) => (
                <option key={one.name} value={one.name}>
                  {one.label}
                </option>
              ))}
            </select>
          </label>
        )}
        <button
          className="press"
          disabled={decide.isPending}
          onClick={() => decide.mutate([{ target, field: "include", value: false }])}
        >
          Leave out
        </button>
      </div>
      {picking && (
        <ColorPick
          move={move}
          images={inventory.data?.images.filter((image) => !image.problem) ?? []}
          materials={fit.materials}
          own={target}
          onShare={(from) =>
            decide.mutate([{ target, field: "factor_like", value: from }], {
              onSuccess: () => setPicking(false),
            })
          }
          onPick={(linear) =>
            decide.mutate([{ target, field: "factor", value: linear }], {
              onSuccess: () => setPicking(false),
            })
          }
        />
      )}
      {crossing.name !== "height" && (
        <Layers
          relief={isVector}
          key={JSON.stringify(given.layers)}
          move={move}
          crossing={crossing}
          images={inventory.data?.images.filter((image) => !image.problem) ?? []}
        />
      )}
      {crossing.name === "base_color" && (
        <PaintChoice move={move} material={crossing.material} hasImage={given.image !== null} />
      )}
      {crossing.like && (
        <p className="mt-2 text-[12px]">
          Shared: it stays what {crossing.like} has.{" "}
          <button
            className="underline"
            onClick={() =>
              decide.mutate([
                deciding(
                  target,
                  "factor",
                  given.factor.filter((v) => v !== null),
                ),
                deciding(target, "factor_like", null),
              ])
            }
          >
            Keep the value, stop sharing
          </button>
        </p>
      )}
      {swap.error && <Notice error={swap.error} />}
      {(crossing.reason || crossing.error_codes !== null) && (
        <p className="mt-2 text-[12px] text-soft">
          {crossing.reason}
          {crossing.error_codes !== null &&
            ` Measured: at most ${crossing.error_codes.toFixed(2)} codes off, rms ${(100 * (crossing.rms ?? 0)).toFixed(2)} %.`}
        </p>
      )}
      {siblings.data?.map((proposal) => (
        <SetForSlot key={proposal.set} move={move} proposal={proposal} />
      ))}
      {decide.error && <Notice error={decide.error} />}
    </div>
  );
}
