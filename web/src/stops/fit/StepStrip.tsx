import { useState } from "react";

import { type Crossing, type Fit, pictures } from "../../api/client";
import { deciding, type Put, type ValueOf } from "../../api/decisions";
import { useDecide } from "../../api/hooks";
import { Notice } from "../../ui/Notice";
import { SizeChoice } from "./FileChoices";

const spaceName = (space: string) =>
  ({
    srgb: "sRGB",
    linear: "linear, data",
    gamma_22: "gamma 2.2",
    display_p3: "Display P3",
    linear_p3: "linear P3",
    rec2020: "linear Rec. 2020",
    acescg: "ACEScg",
    aces2065_1: "ACES2065-1",
  })[space] ?? space;

/** What happens to a crossing's texels, one picture before and after each step, each step changed where it stands. */
export function StepStrip({ move, crossing, fit }: { move: number; crossing: Crossing; fit: Fit }) {
  const decide = useDecide(move);
  const put: Put = (target, field, value) => decide.mutate([deciding(target, field, value)]);
  if (!crossing.given.image || !crossing.lands.image || crossing.mark === "blocked") return null;
  const version = fit.version.slice(0, 12);
  return (
    <div className="mb-3">
      <ol aria-label={`Steps of ${crossing.label}`} className="flex gap-3 overflow-x-auto pb-1">
        <li className="w-[116px] shrink-0">
          <img
            src={pictures.step(move, crossing.id, 0, version)}
            alt="as it is read"
            className="h-[84px] w-[84px] border border-base-300 bg-booth object-contain"
          />
          <span className="mt-1 block text-[12px] leading-tight">as it is read</span>
          <label className="mt-1 block">
            <span className="sr-only">Colour space</span>
            <select
              className="field w-full text-[12px]"
              value={crossing.given.space}
              disabled={decide.isPending}
              onChange={(event) => put(crossing.id, "encoding", event.target.value as ValueOf<"encoding">)}
            >
              {fit.spaces.map((space) => (
                <option key={space} value={space}>
                  {spaceName(space)}
                </option>
              ))}
            </select>
          </label>
        </li>
        {crossing.steps.map((step, at) => (
          <li key={at} className="w-[132px] shrink-0">
            {step.pictured ? (
              <img
                src={pictures.step(move, crossing.id, at + 1, version)}
                alt={`after: ${step.text}`}
                className="h-[84px] w-[84px] border border-base-300 bg-booth object-contain"
              />
            ) : (
              <span className="grid h-[84px] w-[84px] place-items-center border border-dashed border-base-300 text-center text-[11px] text-soft">
                {step.baked ? "drawn on the model" : "texels stay"}
              </span>
            )}
            <span className="mt-1 block text-[12px] leading-tight">{step.text}</span>
            {step.kind === "green" && crossing.name !== "height" && (
              <button
                className="press mt-1 h-[22px] px-1.5 text-[12px]"
                disabled={decide.isPending}
                onClick={() => put(crossing.id, "green_up", !crossing.given.green_up)}
              >
                It was {crossing.given.green_up ? "down" : "up"} already
              </button>
            )}
            {step.kind === "resize" && (
              <SizeChoice
                fit={fit}
                material={crossing.material}
                busy={decide.isPending}
                onChange={(side) => put(crossing.material, "largest_side", side)}
              />
            )}
            {step.kind === "relief" && (
              <Typed
                key={crossing.given.strength}
                label="Depth, as a share of one repeat"
                value={crossing.given.strength}
                most={1}
                busy={decide.isPending}
                onChange={(value) => put(crossing.id, "strength", value)}
              />
            )}
            {step.kind === "cut" && step.cutoff !== null && (
              <Typed
                key={step.cutoff}
                label="Cut at"
                value={step.cutoff}
                most={1}
                busy={decide.isPending}
                onChange={(value) => put(crossing.material, "alpha_cutoff", value)}
              />
            )}
          </li>
        ))}
      </ol>
      {decide.error && <Notice error={decide.error} />}
    </div>
  );
}

function Typed({
  label,
  value,
  most,
  busy,
  onChange,
}: {
  label: string;
  value: number;
  most: number;
  busy: boolean;
  onChange: (value: number) => void;
}) {
  const [text, setText] = useState(String(Number(value.toFixed(4))));
  const number = Number(text);
  const good = text.trim() !== "" && number >= 0 && number <= most;
  return (
    <form
      className="mt-1 flex gap-1"
      onSubmit={(event) => {
        event.preventDefault();
        if (good) onChange(number);
      }}
    >
      <input
        className="field w-14 font-mono text-[12px]"
        aria-label={label}
        title={label}
        inputMode="decimal"
        value={text}
        onChange={(event) => setText(event.target.value)}
      />
      <button className="press px-1.5 text-[12px]" disabled={busy || !good}>
        Set
      </button>
    </form>
  );
}
