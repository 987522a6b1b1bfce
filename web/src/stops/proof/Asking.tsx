import { useState } from "react";

import type { Job, Proofs } from "../../api/client";
import { isRunning, useCancelJob, useDecide, useStartJob } from "../../api/hooks";
import { Choice } from "../../ui/Choice";
import { Notice } from "../../ui/Notice";
import { NumberField } from "../../ui/NumberField";
import { Kept } from "./Kept";

const QUALITIES = [
  ["quick", "Quick, 8 samples", 8],
  ["usual", "Usual, 32 samples", 32],
  ["fine", "Fine, 128 samples", 128],
  ["finest", "Finest, 512 samples", 512],
] as const;
const WIDTH = { words: "a whole number from 64 to 3840", minimum: 64, maximum: 3840 };
const SHAPES = [
  ["", "the camera’s own"],
  ["16:9", "16 : 9"],
  ["4:3", "4 : 3"],
  ["1:1", "square"],
  ["3:4", "3 : 4"],
  ["9:16", "9 : 16"],
] as const;

const told = (seconds: number) =>
  seconds < 90 ? `${Math.max(1, Math.round(seconds))} s` : `${Math.round(seconds / 60)} min`;

interface Wish {
  /** One of the above, or "to 0.3": until the subject is known to so much ΔE. */
  quality: string;
  size: string;
  /** Width over height as written, or empty for the camera's own. */
  shape: string;
  bounces: string;
  seconds: string;
  share: "all" | "half";
  /** Both sides compared, or one drawn by itself. */
  sides: "both" | "reference" | "arrival";
}

const KEY = "trasloco proof wish";

function remembered(): Wish {
  const usual: Wish = {
    quality: "usual",
    size: "640",
    shape: "",
    bounces: "4",
    seconds: "",
    share: "all",
    sides: "both",
  };
  try {
    return { ...usual, ...(JSON.parse(localStorage.getItem(KEY) ?? "{}") as Partial<Wish>) };
  } catch {
    return usual;
  }
}

/** What a proof is asked for: the view, how good, how long it may take and of how much of the machine, and the limits of its words. */
export function Asking({
  move,
  data,
  job,
  view,
  onView,
}: {
  move: number;
  data: Proofs;
  job: Job | null;
  view: string;
  onView: (view: string) => void;
}) {
  const start = useStartJob(move);
  const cancel = useCancelJob(move);
  const [wish, setWish] = useState(remembered);
  const [more, setMore] = useState(false);
  const running =
    job && (job.kind === "prove" || job.kind === "causes" || job.kind === "draw") && isRunning(job)
      ? job
      : null;
  const put = (change: Partial<Wish>) => {
    const next = { ...wish, ...change };
    setWish(next);
    localStorage.setItem(KEY, JSON.stringify(next));
  };
  const seconds = Number(wish.seconds);
  // One side alone has nothing to be known from: it gets samples.
  const closeness = wish.sides === "both" ? data.known_to : [];
  const known = closeness.find(({ within }) => wish.quality === `to ${within}`);
  const [quality, , samples] = QUALITIES.find(([key]) => key === wish.quality) ?? QUALITIES[1];
  const width = Math.min(Math.max(Number(wish.size) || 640, WIDTH.minimum), WIDTH.maximum);
  const [across, high] = (wish.shape || "16:9").split(":").map(Number) as [number, number];
  const aspect = wish.shape ? across / high : (data.aspects[view] ?? 16 / 9);
  const height = Math.max(16, Math.round(width / aspect));
  const sides = wish.sides === "both" ? 1 : 0.5;
  const estimate =
    data.seconds_a_sample === null || known ? null : data.seconds_a_sample * width * height * samples * sides;
  const prove = () => {
    start.mutate({
      kind: wish.sides === "both" ? "prove" : "draw",
      settings: {
        ...(wish.sides === "both" ? {} : { side: wish.sides }),
        view,
        width,
        height,
        ...(known ? { within: known.within } : { samples }),
        bounces: Number(wish.bounces),
        share: wish.share,
        ...(data.lit ? {} : { stand_in: true }),
        ...(wish.seconds && seconds > 0 ? { seconds } : {}),
      },
    });
  };
  return (
    <div>
      {!data.lit && (
        <p className="mb-2 border-l-[3px] border-primary pl-2">
          Nothing lights this scene: both pictures would be black. Give it a lamp or surroundings on the Light
          stop, or see both sides in a soft sky of ours.
        </p>
      )}
      <div className="flex flex-wrap items-center gap-2">
        <select
          className="field max-w-full"
          aria-label="View"
          value={view}
          onChange={(event) => onView(event.target.value)}
        >
          {data.views.map((name) => (
            <option key={name}>{name}</option>
          ))}
          {data.views.length > 1 && <option value="all">all views</option>}
        </select>
        <select
          className="field"
          aria-label="Quality"
          value={known ? wish.quality : quality}
          onChange={(event) => put({ quality: event.target.value })}
        >
          {QUALITIES.map(([key, label]) => (
            <option key={key} value={key}>
              {label}
            </option>
          ))}
          {closeness.map(({ within }) => (
            <option key={within} value={`to ${within}`}>
              Until known to ± {within}
            </option>
          ))}
        </select>
        {running ? (
          <button className="press" onClick={() => cancel.mutate(running.id)}>
            Stop
          </button>
        ) : (
          <button className="press press-main" disabled={start.isPending} onClick={prove}>
            {wish.sides === "both" ? "Prove" : "Draw"}
            {data.lit ? "" : " in a stand-in light"}
          </button>
        )}
        <button className="text-soft underline" aria-expanded={more} onClick={() => setMore(!more)}>
          {more ? "less" : "more choices"}
        </button>
      </div>
      {estimate !== null && !running && (
        <p className="mt-1.5 text-[12px] text-soft">
          {width} × {height}, about {told(estimate)} by the last proof
          {view === "all" ? " for each view" : ""}
        </p>
      )}
      {known && !running && (
        <p className="mt-1.5 text-[12px] text-soft">
          {width} × {height}. Samples go where the difference is uncertain,{" "}
          {known.samples.toLocaleString("en")} a pixel in the mean at most.
        </p>
      )}
      {more && (
        <div className="mt-3 grid grid-cols-2 gap-x-3 gap-y-2">
          <label>
            <span className="block text-[12px] text-soft">Width, px</span>
            <NumberField
              label="Width in pixels"
              value={width}
              range={WIDTH}
              className="w-full"
              onSet={(value) => put({ size: String(Math.round(value)) })}
            />
          </label>
          <Choice
            label={`Shape, ${width} × ${height}`}
            value={wish.shape}
            options={SHAPES}
            onChange={(shape) => put({ shape })}
            wide="w-full"
          />
          <Choice
            label="Sides"
            value={wish.sides}
            options={[
              ["both", "both, compared"],
              ["reference", "the reference alone"],
              ["arrival", "the arrival alone"],
            ]}
            onChange={(sides) => put({ sides: sides as Wish["sides"] })}
            wide="w-full"
          />
          <Choice
            label="Bounces of light"
            value={wish.bounces}
            options={["1", "2", "4", "8", "16"].map((count) => [count, count] as const)}
            onChange={(bounces) => put({ bounces })}
            wide="w-full"
          />
          <label>
            <span className="block text-[12px] text-soft">Time a side, s</span>
            <input
              className="field w-full font-mono"
              inputMode="numeric"
              placeholder="no limit"
              value={wish.seconds}
              onChange={(event) => put({ seconds: event.target.value.replace(/\D/g, "") })}
            />
          </label>
          <Choice
            label="Of the machine"
            value={wish.share}
            options={[
              ["all", "all of it"],
              ["half", "half of it"],
            ]}
            onChange={(share) => put({ share: share as Wish["share"] })}
            wide="w-full"
          />
          <Limits move={move} limits={data.limits} />
          <Kept move={move} data={data} />
          <p className="col-span-2 text-[12px] text-soft">
            A proof that was stopped goes on where it was when it is asked for again, as does one that is
            asked for with more samples.
          </p>
        </div>
      )}
      {start.error && <Notice error={start.error} />}
    </div>
  );
}

/** Up to which mean ΔE a difference is not seen, hardly seen, seen when compared. */
function Limits({ move, limits }: { move: number; limits: number[] }) {
  const decide = useDecide(move);
  const [said, setSaid] = useState(limits.map(String));
  const numbers = said.map(Number);
  const good =
    numbers.every((v) => Number.isFinite(v) && v > 0) &&
    numbers[0]! < numbers[1]! &&
    numbers[1]! < numbers[2]!;
  return (
    <form
      className="col-span-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (good) decide.mutate([{ target: "proof", field: "limits", value: numbers }]);
      }}
    >
      <span className="block text-[12px] text-soft">
        Below which ΔE it is not seen, hardly seen, seen when compared
      </span>
      <span className="flex gap-1">
        {said.map((text, at) => (
          <input
            key={at}
            className="field w-14 font-mono"
            inputMode="decimal"
            aria-label={["not seen below", "hardly seen below", "seen when compared below"][at]}
            aria-invalid={!good}
            value={text}
            onChange={(event) => setSaid(said.map((old, k) => (k === at ? event.target.value : old)))}
          />
        ))}
        <button className="press" disabled={!good || decide.isPending}>
          Set
        </button>
      </span>
      {decide.error && <Notice error={decide.error} />}
    </form>
  );
}
