import { useGesture } from "@use-gesture/react";
import { type ReactNode, useEffect, useRef, useState } from "react";

import { pictures as addresses, type PixelRead } from "../../api/client";
import { PixelPlate, PixelSide } from "./PixelPlate";
import { type Place, pointAt, usePlace } from "./usePlace";
import { Slider } from "../../ui/Slider";

type Side = "reference" | "arrival" | "difference" | "flip";
type Way = "row" | "wipe" | "flick";
type Channel = "all" | "R" | "G" | "B" | "Y";

interface Props {
  pictures: Partial<Record<Side, string>>;
  labels: { reference: string; arrival: string };
  /** What both sides are called, where they are not reference and arrival. */
  names?: { reference: string; arrival: string };
  /** How many times as wide as high the pictures are. */
  aspect: number;
  /** What stands beside the pictures, in the room they leave. */
  beside?: ReactNode;
  /** How pixels are read: the size of the pictures, and who is asked for one. */
  reading?: { width: number; height: number; ask: (x: number, y: number) => Promise<PixelRead> };
  /** Asks for a proof of what is seen enlarged: left, top, right and bottom of the pictures, from 0 to 1. */
  onPart?: (area: [number, number, number, number]) => void;
}

const WAYS: [Way, string][] = [
  ["row", "Side by side"],
  ["wipe", "Wipe"],
  ["flick", "Flick"],
];
const CHANNELS: [Channel, string][] = [
  ["all", "all channels"],
  ["R", "R alone"],
  ["G", "G alone"],
  ["B", "B alone"],
  ["Y", "luminance"],
];
/** Rows of a colour matrix that show one channel, or the luminance of the shown codes, as grey. */
const MATRIX: Record<Exclude<Channel, "all">, string> = {
  R: "1 0 0",
  G: "0 1 0",
  B: "0 0 1",
  Y: "0.2126 0.7152 0.0722",
};

/** The viewing booth: three pictures in a row, or one that is wiped or flicked. All move together. */
export function Booth({ pictures, labels, names, aspect, beside, reading, onPart }: Props) {
  const [way, setWay] = useState<Way>("row");
  const [wipe, setWipe] = useState(50);
  const [flicked, setFlicked] = useState(false);
  const [channel, setChannel] = useState<Channel>("all");
  const [map, setMap] = useState<"difference" | "flip">("difference");
  const [pixel, setPixel] = useState<PixelRead | null>(null);
  const look = usePlace();
  const called = (side: Side) => names?.[side as keyof typeof names] ?? side;
  const asked = useRef(0);

  useEffect(() => {
    const typing = (event: KeyboardEvent) =>
      event.target instanceof HTMLElement && event.target.closest("input, select, textarea");
    const down = (event: KeyboardEvent) => {
      if (typing(event) || event.ctrlKey || event.metaKey || event.altKey) return;
      const other =
        event.target instanceof HTMLElement &&
        event.target.closest("button") &&
        !event.target.closest('[aria-label="Way of looking"]');
      if (event.code === "Space" && way === "flick" && !other) {
        event.preventDefault();
        setFlicked(true);
      } else if (event.key === "+" || event.key === "=") look.zoom(1.5);
      else if (event.key === "-") look.zoom(1 / 1.5);
      else if (event.key === "0") look.whole();
    };
    const up = (event: KeyboardEvent) => event.code === "Space" && setFlicked(false);
    addEventListener("keydown", down);
    addEventListener("keyup", up);
    return () => {
      removeEventListener("keydown", down);
      removeEventListener("keyup", up);
    };
  }, [way, look]);

  const read = (u: number, v: number) => {
    if (!reading || u < 0 || v < 0 || u >= 1 || v >= 1) return;
    const number = ++asked.current;
    const [x, y] = [Math.floor(u * reading.width), Math.floor(v * reading.height)];
    setTimeout(() => {
      if (number !== asked.current) return;
      reading.ask(x, y).then(
        (found) => number === asked.current && setPixel(found),
        () => setPixel(null),
      );
    }, 60);
  };
  const leave = () => {
    asked.current += 1;
    setPixel(null);
  };
  const frame = (side: Side, clip?: string, overlay = false) => (
    <Frame
      key={side + String(overlay)}
      src={pictures[side]}
      name={called(side)}
      aspect={aspect}
      place={look.place}
      channel={side === "difference" || side === "flip" ? "all" : channel}
      clip={clip}
      overlay={overlay}
      onZoom={look.zoom}
      onPan={look.pan}
      onWhole={look.whole}
      onPoint={read}
      onLeave={leave}
    />
  );
  const third = pictures[map] ? map : "difference";
  const sides = ([...(["reference", "arrival"] as const), third] as const).filter(
    (side) => pictures[side] || side === "reference" || side === "arrival",
  );
  return (
    <section aria-label="Pictures" className="shrink-0 bg-booth p-3.5">
      <svg aria-hidden className="absolute h-0 w-0">
        {(Object.keys(MATRIX) as (keyof typeof MATRIX)[]).map((key) => (
          <filter key={key} id={`channel-${key}`} colorInterpolationFilters="sRGB">
            <feColorMatrix values={`${MATRIX[key]} 0 0 ${MATRIX[key]} 0 0 ${MATRIX[key]} 0 0 0 0 0 1 0`} />
          </filter>
        ))}
      </svg>
      <div className="mb-2 flex flex-wrap items-center gap-1.5">
        <div role="group" aria-label="Way of looking" className="flex gap-1.5">
          {WAYS.map(([key, label]) => (
            <button
              key={key}
              className={`plate cursor-pointer ${way === key ? "font-semibold" : "plate-ink"}`}
              aria-pressed={way === key}
              onClick={() => setWay(key)}
            >
              {label}
            </button>
          ))}
        </div>
        <select
          aria-label="Channel"
          className="plate"
          value={channel}
          onChange={(event) => setChannel(event.target.value as Channel)}
        >
          {CHANNELS.map(([key, label]) => (
            <option key={key} value={key}>
              {label}
            </option>
          ))}
        </select>
        {pictures.flip && way === "row" && (
          <select
            aria-label="Map of the difference"
            className="plate"
            value={map}
            onChange={(event) => setMap(event.target.value as typeof map)}
          >
            <option value="difference">ΔE, as colours differ</option>
            <option value="flip">FLIP, as flicking shows it</option>
          </select>
        )}
        <button
          className="plate cursor-pointer disabled:opacity-50"
          disabled={look.place.scale === 1}
          onClick={look.whole}
          title="Wheel or + and - enlarge, drag moves, 0 shows all"
        >
          {look.place.scale === 1 ? "whole picture" : `${look.place.scale.toFixed(1)} times, show all`}
        </button>
        {onPart && look.place.scale > 1 && (
          <button
            className="plate cursor-pointer"
            title="Only this part of the frame, at the size of a whole picture"
            onClick={() => {
              const { scale, x, y } = look.place;
              const half = 0.5 / scale;
              onPart([x - half, y - half, x + half, y + half]);
            }}
          >
            Prove this part
          </button>
        )}
        {way === "flick" && (
          <button
            className="plate cursor-pointer"
            onPointerDown={() => setFlicked(true)}
            onPointerUp={() => setFlicked(false)}
            onPointerLeave={() => setFlicked(false)}
            onKeyDown={(event) => event.code === "Space" && setFlicked(true)}
            onKeyUp={() => setFlicked(false)}
          >
            hold here or the space bar: {called(flicked ? "arrival" : "reference")}
          </button>
        )}
        <span className="ml-auto">
          {reading && way !== "row" && <PixelPlate pixel={pixel} called={called} />}
        </span>
      </div>
      {way === "row" && (
        <div
          className="grid justify-center gap-2.5"
          style={{ gridTemplateColumns: `repeat(2, minmax(0, calc((100vh - 150px) / 2 * ${aspect})))` }}
        >
          {sides.map((side) => (
            <figure key={side} className="relative self-start">
              {frame(side)}
              <figcaption className="pointer-events-none absolute right-0 bottom-0 left-0 flex h-[22px] justify-between gap-2">
                <span className="plate shrink-0">{side === "flip" ? "difference, FLIP" : called(side)}</span>
                {pixel ? (
                  <PixelSide pixel={pixel} side={side} />
                ) : side === "difference" || side === "flip" ? (
                  <Ramp flip={side === "flip"} />
                ) : (
                  <span className="plate truncate font-mono">{labels[side]}</span>
                )}
              </figcaption>
            </figure>
          ))}
          {beside}
        </div>
      )}
      {way !== "row" && (
        <div className="flex justify-center gap-2.5">
          <div className="min-w-0 flex-1" style={{ maxWidth: `calc((100vh - 170px) * ${aspect})` }}>
            <div className="relative">
              {way === "wipe" ? (
                <>
                  {frame("arrival")}
                  {frame("reference", `inset(0 ${100 - wipe}% 0 0)`, true)}
                  <span
                    className="pointer-events-none absolute inset-y-0 w-px bg-[#fbfaf8]"
                    style={{ left: `${wipe}%` }}
                  />
                  <span className="plate pointer-events-none absolute bottom-2 left-2">
                    {called("reference")}
                  </span>
                  <span className="plate pointer-events-none absolute right-2 bottom-2">
                    {called("arrival")}
                  </span>
                </>
              ) : (
                <>
                  {frame(flicked ? "arrival" : "reference")}
                  <span className="plate pointer-events-none absolute bottom-2 left-2">
                    {called(flicked ? "arrival" : "reference")}
                  </span>
                </>
              )}
            </div>
            {way === "wipe" && (
              <Slider
                label="Wipe"
                value={wipe}
                least={0}
                most={100}
                step={1}
                onChange={setWipe}
                words={(value) => `${value} % of the ${called("arrival")}`}
                className="mt-2 w-full"
              />
            )}
          </div>
          {beside && <div className="w-[290px] shrink-0">{beside}</div>}
        </div>
      )}
    </section>
  );
}

/** What the shades of the difference stand for. */
function Ramp({ flip }: { flip: boolean }) {
  return (
    <span className="plate flex items-center gap-1.5 font-mono">
      0 <span className="h-2 w-16" style={{ background: "linear-gradient(to right, #f3f2ef, #22241f)" }} />{" "}
      {flip ? "1" : "12 ΔE"}
      {!flip && (
        <>
          <span className="h-2 w-3 border-t-2 border-[#9a2e40]" aria-hidden /> 5
        </>
      )}
    </span>
  );
}

interface FrameProps {
  aspect: number;
  src: string | undefined;
  name: string;
  place: Place;
  channel: Channel;
  clip?: string;
  overlay: boolean;
  onZoom: (factor: number, at: { u: number; v: number }) => void;
  onPan: (du: number, dv: number) => void;
  onWhole: () => void;
  onPoint: (u: number, v: number) => void;
  onLeave: () => void;
}

/** One picture at the common place. */
function Frame({
  aspect,
  src,
  name,
  place,
  channel,
  clip,
  overlay,
  onZoom,
  onPan,
  onWhole,
  onPoint,
  onLeave,
}: FrameProps) {
  const holder = useRef<HTMLDivElement>(null);
  useGesture(
    {
      onWheel: ({ event, direction: [, down] }) => {
        event.preventDefault();
        if (down && holder.current)
          onZoom(
            down < 0 ? 1.25 : 0.8,
            pointAt(place, holder.current.getBoundingClientRect(), event.clientX, event.clientY),
          );
      },
      onDrag: ({ delta: [x, y] }) => {
        const box = holder.current?.getBoundingClientRect();
        if (box && place.scale > 1) onPan(-x / box.width, -y / box.height);
      },
      onMove: ({ dragging, xy: [x, y] }) => {
        if (dragging || !holder.current) return;
        const { u, v } = pointAt(place, holder.current.getBoundingClientRect(), x, y);
        onPoint(u, v);
      },
      onHover: ({ hovering }) => !hovering && onLeave(),
    },
    {
      target: holder,
      eventOptions: { passive: false },
      drag: { filterTaps: true, pointer: { keys: false } },
    },
  );
  const style = {
    transform: `scale(${place.scale}) translate(${(0.5 - place.x) * 100}%, ${(0.5 - place.y) * 100}%)`,
    imageRendering: place.scale >= 3 ? ("pixelated" as const) : undefined,
    filter: channel === "all" ? undefined : `url(#channel-${channel})`,
  };
  return (
    <div
      ref={holder}
      className={`${overlay ? "absolute inset-0" : "relative"} w-full touch-none overflow-hidden bg-booth ${place.scale > 1 ? "cursor-move" : "cursor-crosshair"}`}
      style={{ clipPath: clip, aspectRatio: String(aspect) }}
      onDoubleClick={onWhole}
    >
      {src ? (
        <img
          src={addresses.blob(src)}
          alt={name}
          draggable={false}
          className="block h-full w-full object-contain"
          style={style}
        />
      ) : (
        <span className="grid h-full w-full place-items-center">
          <span className="plate">rendering…</span>
        </span>
      )}
    </div>
  );
}
