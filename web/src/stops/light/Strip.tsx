import { useDrag } from "@use-gesture/react";
import { useEffect, useRef, useState } from "react";

import { type LightData, pictures } from "../../api/client";
import { Mark } from "../../ui/Mark";
import type { Put } from "../../api/decisions";
import { round, StripMark } from "./StripMark";

/** All directions round the subject, side by side: the picture that surrounds it is dragged to turn it, with its sun, the panels and the lights on it. */
export function Strip({
  move,
  data,
  turn,
  onTurn,
  onPut,
}: {
  move: number;
  data: LightData;
  turn: number;
  onTurn: (degrees: number, done: boolean) => void;
  onPut: Put;
}) {
  const environment = data.environment;
  const strip = useRef<HTMLDivElement>(null);
  useDrag(
    ({ movement: [x], last, first, tap, memo }) => {
      const from: number = first ? turn : (memo as number);
      const degrees = round(from - (x / (strip.current?.clientWidth ?? 1)) * 360);
      if (!tap && !first) onTurn(degrees, last);
      return from;
    },
    { target: strip, enabled: environment !== null, filterTaps: true, pointer: { keys: false } },
  );
  const sun = environment?.sun;
  const lights = data.lights.filter((light) => light.stand && light.enabled);
  return (
    <div
      ref={strip}
      className={`relative h-44 touch-none overflow-hidden bg-booth ${environment ? "cursor-ew-resize" : ""}`}
    >
      {environment && (
        <div
          className="absolute inset-0"
          style={{
            backgroundImage: `url("${pictures.image(move, environment.image, 1024)}&v=${data.version.slice(0, 12)}")`,
            backgroundSize: "100% 100%",
            backgroundRepeat: "repeat-x",
            backgroundPositionX: `${(-turn / 360) * 100}cqw`,
          }}
        />
      )}
      <span className="plate absolute top-3 left-3.5">
        {environment ? environment.name : "nothing surrounds the scene"}
      </span>
      {environment && (
        <span className="plate absolute top-3 right-3.5 flex items-center gap-2 [--color-base-content:#22241f]">
          {environment.mark && <Mark mark={environment.mark} />} {environment.text}
        </span>
      )}
      {sun && environment.taken && (
        <span
          className="absolute h-5 w-5 -translate-x-1/2 -translate-y-1/2 border-2 border-dashed border-[#22241f] outline outline-[#fbfaf8]"
          style={{ left: `${(round(sun.u * 360 - 180 - turn) / 360 + 0.5) * 100}%`, top: `${sun.v * 100}%` }}
          title="the sun stood here; it is a light of its own now"
        />
      )}
      {sun && !environment.taken && (
        <StripMark
          label="The sun of the picture"
          azimuth={round(sun.u * 360 - 180 - turn)}
          height={90 - sun.v * 180}
          level
          title="the sun of the picture: dragging it turns the picture"
          onMove={(azimuth) => onTurn(round(sun.u * 360 - 180 - azimuth), true)}
        />
      )}
      {data.panels.map((panel, number) => (
        <StripMark
          key={number}
          label={`Panel ${number + 1}`}
          azimuth={panel.azimuth_deg}
          height={panel.height_deg}
          wide={panel.width_deg}
          tall={panel.tall_deg}
          className={panel.shape === "disc" ? "rounded-full" : ""}
          onMove={(azimuth_deg, height_deg) =>
            onPut(
              "environment",
              "panels",
              data.panels.map((one, k) => (k === number ? { ...one, azimuth_deg, height_deg } : one)),
            )
          }
        >
          {number + 1}
        </StripMark>
      ))}
      {lights.map((light) => (
        <StripMark
          key={light.id}
          label={light.name}
          azimuth={light.stand!.azimuth_deg}
          height={light.stand!.height_deg}
          title={`${light.name}, ${light.kind === "sun" ? "a sun" : `${light.stand!.distance_m.toPrecision(3)} m from the middle of the subject`}`}
          className="rotate-45 bg-[#fbfaf8]"
          onMove={(azimuth_deg, height_deg) =>
            onPut(light.id, "stand", { ...light.stand, azimuth_deg, height_deg })
          }
        >
          <span
            className="h-2 w-2 -rotate-45"
            style={{
              background: `color(srgb-linear ${light.color.map((v) => v / Math.max(...light.color, 1e-9)).join(" ")})`,
            }}
          />
        </StripMark>
      ))}
      {environment && <span className="plate absolute bottom-3 left-1/2 -translate-x-1/2">drag to turn</span>}
      <span className="pointer-events-none absolute inset-y-0 left-1/2 w-px bg-[#fbfaf8]" aria-hidden />
    </div>
  );
}

/** The scene in the light as it is now, small; it follows what is dragged. */
export function LightPicture({
  move,
  data,
  trying = "",
}: {
  move: number;
  data: LightData;
  /** The light that is looked at and not taken yet. */
  trying?: string;
}) {
  const [view, setView] = useState("");
  const [shown, setShown] = useState("");
  const chosen = view || data.views[0] || "";
  const wanted = pictures.light(move, chosen, `${data.version.slice(0, 12)} ${data.ev100 ?? ""}`, trying);
  const [failed, setFailed] = useState(false);
  useEffect(() => {
    // The picture before stays until the next one is there.
    let gone = false;
    const image = new Image();
    image.onload = () => {
      if (gone) return;
      setShown(wanted);
      setFailed(false);
    };
    image.onerror = () => !gone && setFailed(true);
    image.src = wanted;
    return () => {
      gone = true;
    };
  }, [wanted]);
  return (
    <figure className="w-[254px] shrink-0" aria-label="The scene in this light">
      <div className="relative h-44 bg-booth">
        {shown && (
          <img
            src={shown}
            alt={`${chosen} in the light as it is now`}
            className="h-full w-full object-cover"
          />
        )}
        {trying && shown === wanted && (
          <span className="plate absolute bottom-2 left-2">
            in {data.lightings.find((one) => one.key === trying)?.name}
          </span>
        )}
        {shown !== wanted && (
          <span className="plate absolute bottom-2 left-2">
            {failed ? "it cannot be drawn" : "lighting…"}
          </span>
        )}
        {data.views.length > 1 && (
          <select
            className="field absolute top-2 right-2 h-6 max-w-40"
            aria-label="View of the picture"
            value={chosen}
            onChange={(event) => setView(event.target.value)}
          >
            {data.views.map((name) => (
              <option key={name}>{name}</option>
            ))}
          </select>
        )}
      </div>
    </figure>
  );
}
