import { type KeyboardEvent, useEffect, useRef, useState } from "react";

import { type LightData, pictures } from "../../api/client";

/** How long one stays on a light before the scene is drawn in it. */
const PAUSE_MS = 250;

/** Everything the scene may be lit by from all round: gone through by arrow keys, seen before it is taken. */
export function Lightings({
  move,
  data,
  onTry,
  onTake,
}: {
  move: number;
  data: LightData;
  /** Hears of the light that is looked at, and of none. */
  onTry: (key: string) => void;
  onTake: (key: string) => void;
}) {
  const list = useRef<HTMLDivElement>(null);
  const [looked, setLooked] = useState("");
  const first = data.lighting ?? data.lightings[0]?.key;
  useEffect(() => {
    const timer = setTimeout(() => onTry(looked === data.lighting ? "" : looked), looked ? PAUSE_MS : 0);
    return () => clearTimeout(timer);
  }, [looked, data.lighting, onTry]);
  const walk = (event: KeyboardEvent) => {
    const step = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[event.key];
    if (!step) return;
    event.preventDefault();
    const all = [...(list.current?.querySelectorAll("button") ?? [])];
    const at = all.indexOf(document.activeElement as HTMLButtonElement);
    all[(at + step + all.length) % all.length]?.focus();
  };
  return (
    <div
      ref={list}
      role="toolbar"
      aria-label="Lit by"
      className="flex gap-1.5 overflow-x-auto border-b border-base-300 bg-base-100 px-6 py-2"
      onKeyDown={walk}
      onMouseLeave={() => setLooked("")}
      onBlur={() => setLooked("")}
    >
      {data.lightings.map((one) => (
        <button
          key={one.key}
          aria-pressed={one.key === data.lighting}
          tabIndex={one.key === first ? 0 : -1}
          className="group w-24 shrink-0 self-start text-left"
          title={one.kind === "received" ? "as it was received" : undefined}
          onFocus={() => setLooked(one.key)}
          onMouseEnter={() => setLooked(one.key)}
          onClick={() => onTake(one.key)}
        >
          <span
            className={`block h-11 w-24 border-2 bg-booth ${one.key === data.lighting ? "border-primary" : "border-base-300 group-hover:border-base-content"}`}
          >
            {(one.image !== null || one.kind === "sky" || one.kind === "room") && (
              <img
                src={pictures.lighting(move, one.key, one.image === null ? "ours" : data.version)}
                alt=""
                loading="lazy"
                className="h-full w-full object-cover"
              />
            )}
          </span>
          <span
            className={`tight line-clamp-2 text-[12px] leading-tight ${one.key === data.lighting ? "font-semibold" : ""}`}
          >
            {one.name}
          </span>
        </button>
      ))}
    </div>
  );
}
