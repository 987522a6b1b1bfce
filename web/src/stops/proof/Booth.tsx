import { useEffect, useState } from "react";

import { pictures as addresses } from "../../api/client";

type Side = "reference" | "arrival" | "difference";
type Way = "row" | "wipe" | "flick";

interface Props {
  pictures: Partial<Record<Side, string>>;
  labels: { reference: string; arrival: string };
}

/** The viewing booth: three pictures in a row, or one that is wiped or flicked (hold the space bar). */
export function Booth({ pictures, labels }: Props) {
  const [way, setWay] = useState<Way>("row");
  const [wipe, setWipe] = useState(50);
  const [flicked, setFlicked] = useState(false);
  useEffect(() => {
    if (way !== "flick") return;
    const set = (down: boolean) => (event: KeyboardEvent) => {
      if (event.code !== "Space" || (event.target instanceof HTMLElement && event.target.closest("input, select, textarea, button"))) return;
      event.preventDefault();
      setFlicked(down);
    };
    const down = set(true);
    const up = set(false);
    addEventListener("keydown", down);
    addEventListener("keyup", up);
    return () => {
      removeEventListener("keydown", down);
      removeEventListener("keyup", up);
    };
  }, [way]);

  const sides = (["reference", "arrival", "difference"] as const).filter((side) => pictures[side] || side !== "difference");
  const image = (side: Side, className: string, style?: React.CSSProperties) =>
    pictures[side] ? <img src={addresses.blob(pictures[side])} alt={side} className={className} style={style} /> : <span className={`${className} grid place-items-center`}>{<span className="plate">rendering…</span>}</span>;
  return (
    <section aria-label="Pictures" className="shrink-0 bg-booth p-3.5">
      <div className="mb-2 flex gap-1.5" role="group" aria-label="Way of looking">
        {([["row", "Side by side"], ["wipe", "Wipe"], ["flick", "Flick"]] as const).map(([key, label]) => (
          <button key={key} className={`plate cursor-pointer ${way === key ? "font-semibold" : "plate-ink"}`} aria-pressed={way === key} onClick={() => setWay(key)}>
            {label}
          </button>
        ))}
        {way === "flick" && (
          <button className="plate cursor-pointer" onPointerDown={() => setFlicked(true)} onPointerUp={() => setFlicked(false)} onKeyDown={(event) => event.code === "Space" && setFlicked(true)} onKeyUp={() => setFlicked(false)}>
            hold here or the space bar: {flicked ? "arrival" : "reference"}
          </button>
        )}
      </div>
      {way === "row" && (
        <div className="grid gap-2.5" style={{ gridTemplateColumns: `repeat(${sides.length}, 1fr)` }}>
          {sides.map((side) => (
            <figure key={side}>
              {image(side, "block aspect-video w-full")}
              <figcaption className="mt-2 flex justify-between gap-2">
                <span className="plate">{side}</span>
                {side === "difference" ? (
                  <span className="plate flex items-center gap-1.5 font-mono">
                    0 <span className="h-2 w-16" style={{ background: "linear-gradient(to right, #f3f2ef, #22241f)" }} /> 12 ΔE
                    <span className="h-2 w-3 border-t-2 border-[#9a2e40]" aria-hidden /> 5
                  </span>
                ) : (
                  <span className="plate truncate font-mono">{labels[side]}</span>
                )}
              </figcaption>
            </figure>
          ))}
        </div>
      )}
      {way === "wipe" && (
        <div className="mx-auto max-w-[760px]">
          <div className="relative">
            {image("arrival", "block aspect-video w-full")}
            {image("reference", "absolute inset-0 block aspect-video w-full", { clipPath: `inset(0 ${100 - wipe}% 0 0)` })}
            <span className="absolute inset-y-0 w-px bg-[#fbfaf8]" style={{ left: `${wipe}%` }} />
            <span className="plate absolute bottom-2 left-2">reference</span>
            <span className="plate absolute right-2 bottom-2">arrival</span>
          </div>
          <input type="range" aria-label="Wipe" className="mt-2 w-full" min={0} max={100} value={wipe} onChange={(event) => setWipe(Number(event.target.value))} />
        </div>
      )}
      {way === "flick" && <div className="mx-auto max-w-[760px]">{image(flicked ? "arrival" : "reference", "block aspect-video w-full")}</div>}
    </section>
  );
}
