import type { RefObject } from "react";

import type { Inventory } from "../../../api/client";
import type { Ask } from "../../../view/Framing";
import { RODS, type RodShown } from "../../../view/rods";
import { CameraHere } from "./CameraHere";
import { KeepView } from "./KeepView";
import type { PlaceTool } from "./usePlaces";

const ROD_WORDS: Record<RodShown, string> = {
  on: "shown",
  person: "shown beside a person",
  off: "hidden",
};

const TOOLS: [PlaceTool, string, string][] = [
  ["measure", "Measure", "A length between two points, and what it should be"],
  ["light", "Light a place", "Say what is to be lit and from which side: the lamp is put there"],
  ["press", "Press on", "A label or a decal, laid over the model where you press"],
];

/** Where the view stands, and what is done in it. */
export function ViewActs({
  move,
  data,
  some,
  standing,
  rod,
  lamps,
  onLamps,
  picking,
  tool,
  onTool,
  playing,
  onPlay,
  onAsk,
  onPick,
  onRod,
}: {
  move: number;
  data: Inventory;
  /** Whether something is chosen. */
  some: boolean;
  standing: RefObject<(() => { matrix: number[]; yfov_rad: number } | null) | null>;
  rod: RodShown;
  /** Whether lamps are marked where they stand; nothing where there are none to see. */
  lamps: boolean | null;
  onLamps: () => void;
  picking: boolean;
  /** What places are pressed for. */
  tool: PlaceTool | null;
  onTool: (tool: PlaceTool) => void;
  /** Whether a clip is looked at. */
  playing: boolean;
  onPlay: () => void;
  onAsk: (ask: Omit<Ask, "number">) => void;
  onPick: () => void;
  onRod: (rod: RodShown) => void;
}) {
  const plate = "plate cursor-pointer hover:underline disabled:opacity-50";
  return (
    <div className="flex flex-wrap gap-1.5">
      <button className={plate} onClick={() => onAsk({ kind: "all" })}>
        Fit to view
      </button>
      <button className={plate} disabled={!some} onClick={() => onAsk({ kind: "chosen" })}>
        Go to chosen
      </button>
      {data.cameras.map((camera) => (
        <button
          key={camera.id}
          className={plate}
          onClick={() => onAsk({ kind: "camera", camera: camera.id })}
        >
          {camera.name}
        </button>
      ))}
      <button
        className={plate}
        title="The arrow keys walk and turn, with Shift in large steps"
        onClick={() => onAsk({ kind: "walk" })}
      >
        Stand in it
      </button>
      <KeepView move={move} standing={standing} />
      <CameraHere move={move} data={data} standing={standing} />
      {data.clips.some((clip) => clip.included) && (
        <button
          className={`plate cursor-pointer ${playing ? "font-semibold" : ""}`}
          aria-pressed={playing}
          onClick={onPlay}
        >
          Motion
        </button>
      )}
      <button
        className={`plate cursor-pointer ${picking ? "font-semibold" : ""}`}
        aria-pressed={picking}
        onClick={onPick}
      >
        Pick faces
      </button>
      {TOOLS.map(([key, words, why]) => (
        <button
          key={key}
          className={`plate cursor-pointer ${tool === key ? "font-semibold" : ""}`}
          aria-pressed={tool === key}
          title={why}
          onClick={() => onTool(key)}
        >
          {words}
        </button>
      ))}
      {lamps !== null && (
        <button
          className={`plate cursor-pointer ${lamps ? "font-semibold" : "line-through"}`}
          aria-pressed={lamps}
          onClick={onLamps}
        >
          Lamps
        </button>
      )}
      <button
        className={`plate cursor-pointer ${rod === "off" ? "line-through" : "font-semibold"}`}
        aria-label={`Rod: ${ROD_WORDS[rod]}`}
        title="A staff to measure by, with a standing figure, or none"
        onClick={() => onRod(RODS[(RODS.indexOf(rod) + 1) % RODS.length]!)}
      >
        {rod === "person" ? "Rod, person" : "Rod"}
      </button>
    </div>
  );
}
