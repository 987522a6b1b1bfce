import { type RefObject, useEffect, useState } from "react";

import type { Moving } from "../../../api/client";
import { useDecide } from "../../../api/hooks";
import { NumberField } from "../../../ui/NumberField";
import { Slider } from "../../../ui/Slider";
import { type Clock, frameAt, rateText, timeOf, useTime } from "../../../view/motion/clock";
import { useKeepView } from "./useKeepView";

const RATE = { words: "frames a second, from 1 to 240", minimum: 1, maximum: 240 };
const USUAL = 24;

/** Plays a clip and goes through it frame by frame; a moment of it is kept for proofs, or frozen. */
export function MotionBar({
  move,
  moving,
  clip,
  clock,
  through,
  standing,
  onClip,
  onThrough,
  onClose,
}: {
  move: number;
  moving: Moving;
  /** The clip that is shown, by the id it has in the move. */
  clip: string;
  clock: Clock;
  /** The node of the camera that is looked through. */
  through: string;
  standing: RefObject<(() => { matrix: number[]; yfov_rad: number } | null) | null>;
  onClip: (clip: string) => void;
  onThrough: (node: string) => void;
  onClose: () => void;
}) {
  const shown = moving.clips.find((one) => (one.meant ?? one.id) === clip) ?? moving.clips[0];
  const time = useTime(clock);
  const [rate, setRate] = useState(moving.frame_rate ?? USUAL);
  const [playing, setPlaying] = useState(false);
  const decide = useDecide(move);
  const keep = useKeepView(move, standing);
  const [start, end] = [shown?.start_s ?? 0, shown?.end_s ?? 0];
  const frames = Math.max(frameAt(end, start, rate), 0);
  const frame = Math.min(Math.max(frameAt(time, start, rate), 0), frames);

  useEffect(() => {
    clock.time_s = start;
  }, [clock, start, clip]);

  useEffect(() => {
    if (!playing || end <= start) return;
    let running = 0;
    const began = performance.now() - (clock.time_s - start) * 1000;
    const play = (now: number) => {
      const passed = ((now - began) / 1000) % (end - start);
      // Frames as the clip has them, not as often as the screen is drawn.
      const next = timeOf(frameAt(start + Math.max(passed, 0), start, rate), start, rate);
      if (next !== clock.time_s) clock.time_s = next;
      running = requestAnimationFrame(play);
    };
    running = requestAnimationFrame(play);
    return () => cancelAnimationFrame(running);
  }, [playing, clock, start, end, rate]);

  if (!shown) return <p className="plate">Nothing moves on this side.</p>;
  const told = keep.told || (decide.error ? decide.error.message : "");
  return (
    <section aria-label="Motion" className="plate flex w-full flex-wrap items-center gap-x-3 gap-y-1 py-1.5">
      <button
        className="press w-16 justify-center"
        aria-pressed={playing}
        onClick={() => setPlaying(!playing)}
      >
        {playing ? "Hold" : "Play"}
      </button>
      <select
        className="field max-w-40"
        aria-label="Clip"
        value={clip}
        onChange={(event) => onClip(event.target.value)}
      >
        {moving.clips.map((one) => (
          <option key={one.id} value={one.meant ?? one.id}>
            {one.name}
          </option>
        ))}
      </select>
      <Slider
        label="Frame"
        className="min-w-32 flex-1"
        value={frame}
        least={0}
        most={frames}
        step={1}
        words={(at) => `frame ${at} of ${frames}`}
        onChange={(at) => {
          setPlaying(false);
          clock.time_s = timeOf(at, start, rate);
        }}
      />
      <span className="font-mono text-[12px]">
        {frame} of {frames} · {timeOf(frame, start, rate).toFixed(2)} s
      </span>
      <label className="flex items-center gap-1 text-[12px]">
        <NumberField
          label="Frames a second"
          value={Number(rateText(rate))}
          range={RATE}
          className="w-16"
          onSet={(value) => setRate(value)}
        />
        {moving.frame_rate === null
          ? "a second, not stated"
          : rateText(moving.frame_rate) === rateText(rate)
            ? "a second, as stated"
            : `a second; ${rateText(moving.frame_rate)} stated`}
      </label>
      {moving.cameras.length > 0 && (
        <select
          className="field max-w-36"
          aria-label="Looked at"
          value={through}
          onChange={(event) => onThrough(event.target.value)}
        >
          <option value="">from anywhere</option>
          {moving.cameras.map((one) => (
            <option key={one.node} value={one.node}>
              through {one.name}
            </option>
          ))}
        </select>
      )}
      <button
        className="press"
        disabled={keep.busy}
        title="Proofs can be made of this moment, from where it is looked at"
        onClick={() =>
          keep.keep({ clip, time_s: timeOf(frame, start, rate) }, `${shown.name}, frame ${frame}`)
        }
      >
        Keep this moment
      </button>
      <button
        className="press"
        disabled={decide.isPending}
        title="Everything stands as now, and nothing moves any more"
        onClick={() =>
          decide.mutate(
            [{ target: "scene", field: "freeze", value: { clip, time_s: timeOf(frame, start, rate) } }],
            { onSuccess: onClose },
          )
        }
      >
        Freeze here
      </button>
      <button className="underline" onClick={onClose}>
        close
      </button>
      {told && <span role="status">{told}</span>}
    </section>
  );
}
