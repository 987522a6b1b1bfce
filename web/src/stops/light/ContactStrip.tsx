import { useDrag } from "@use-gesture/react";
import { useEffect, useRef } from "react";

import type { Mix } from "../../api/client";
import { developed } from "./mixing";

type Layer = Mix["layers"][number];
const MOST_EV = 6;
/** So many pixels of dragging are a stop. */
const PIXELS_EV = 18;
/** A press this long is a look at one lamp, a shorter one strikes it out. */
const HOLD_MS = 280;
export const stops = (value: number) => `${value > 0 ? "+" : ""}${value.toFixed(1)} EV`;
const held = (value: number) => Math.round(Math.min(Math.max(value, -MOST_EV), MOST_EV) * 10) / 10;

/** Every lamp as the picture it makes alone: dragged up or down it gets brighter or darker, pressed it is struck out, held it is seen by itself. */
export function ContactStrip({
  mix,
  layers,
  shift,
  muted,
  onShift,
  onMute,
  onAlone,
}: {
  mix: Mix;
  layers: Float32Array | undefined;
  shift: Record<string, number>;
  muted: string[];
  onShift: (layer: string, stops: number) => void;
  onMute: (layer: string) => void;
  onAlone: (layer: string | null) => void;
}) {
  return (
    <ul aria-label="Each lamp alone" className="flex flex-wrap gap-2">
      {mix.layers.map((layer, at) => (
        <Contact
          key={layer.name}
          layer={layer}
          mix={mix}
          radiance={layers?.subarray(at * mix.width * mix.height * 3, (at + 1) * mix.width * mix.height * 3)}
          shift={shift[layer.name] ?? 0}
          struck={muted.includes(layer.name)}
          onShift={(value) => onShift(layer.name, value)}
          onMute={() => onMute(layer.name)}
          onAlone={(alone) => onAlone(alone ? layer.name : null)}
        />
      ))}
    </ul>
  );
}

function Contact({
  layer,
  mix,
  radiance,
  shift,
  struck,
  onShift,
  onMute,
  onAlone,
}: {
  layer: Layer;
  mix: Mix;
  radiance: Float32Array | undefined;
  shift: number;
  struck: boolean;
  onShift: (stops: number) => void;
  onMute: () => void;
  onAlone: (alone: boolean) => void;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const frame = useRef<HTMLDivElement>(null);
  const hold = useRef<ReturnType<typeof setTimeout>>(undefined);
  const looking = useRef(false);
  const gain = (layer.base > 0 ? layer.strength / layer.base : 0) * 2 ** shift;

  useEffect(() => {
    const pen = canvas.current?.getContext("2d");
    if (!pen || !radiance) return;
    const scaled = radiance.map((v) => v * gain);
    pen.putImageData(new ImageData(developed(scaled, mix.ev100), mix.width, mix.height), 0, 0);
  }, [radiance, gain, mix]);

  const look = (alone: boolean) => {
    looking.current = alone;
    onAlone(alone);
  };
  useDrag(
    ({ first, last, movement: [, down], tap, memo }) => {
      const from: number = first ? shift : (memo as number);
      if (first) hold.current = setTimeout(() => look(true), HOLD_MS);
      if (Math.abs(down) > 3 && !looking.current) {
        clearTimeout(hold.current);
        if (!struck) onShift(held(from - down / PIXELS_EV));
      }
      if (last) {
        clearTimeout(hold.current);
        if (looking.current) look(false);
        else if (tap) onMute();
      }
      return from;
    },
    { target: frame, filterTaps: true, pointer: { keys: false } },
  );

  return (
    <li className="w-[136px]">
      <div
        ref={frame}
        role="slider"
        tabIndex={0}
        aria-label={`${layer.label}, stops`}
        aria-valuemin={-MOST_EV}
        aria-valuemax={MOST_EV}
        aria-valuenow={shift}
        aria-valuetext={struck ? "struck out" : stops(shift)}
        aria-orientation="vertical"
        title="Drag up or down for brighter or darker; press to strike it out; hold to see it alone. Arrow keys, space and A do the same."
        className="relative cursor-ns-resize touch-none bg-booth"
        onDoubleClick={() => onShift(0)}
        onKeyDown={(event) => {
          const step = event.shiftKey ? 1 : 0.1;
          if (event.key === "ArrowUp") onShift(held(shift + step));
          else if (event.key === "ArrowDown") onShift(held(shift - step));
          else if (event.key === "Home") onShift(0);
          else if (event.key === " ") onMute();
          else if (event.key.toLowerCase() === "a") look(true);
          else return;
          event.preventDefault();
        }}
        onKeyUp={(event) => event.key.toLowerCase() === "a" && look(false)}
        onBlur={() => looking.current && look(false)}
      >
        <canvas
          ref={canvas}
          width={mix.width}
          height={mix.height}
          aria-hidden
          className={`block w-full ${struck ? "opacity-40" : ""}`}
        />
        {struck && (
          <svg
            aria-hidden
            viewBox="0 0 100 100"
            preserveAspectRatio="none"
            className="absolute inset-0 h-full w-full"
          >
            <line
              x1="0"
              y1="100"
              x2="100"
              y2="0"
              stroke="#9a2e40"
              strokeWidth="2"
              vectorEffect="non-scaling-stroke"
            />
          </svg>
        )}
      </div>
      <span className="mt-0.5 flex justify-between gap-1 text-[12px]">
        <span className={`truncate ${struck ? "line-through" : ""}`} title={layer.label}>
          {layer.label}
        </span>
        <span className="font-mono">{struck ? "out" : stops(shift)}</span>
      </span>
    </li>
  );
}
