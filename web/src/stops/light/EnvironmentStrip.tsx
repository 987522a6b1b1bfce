import { useEffect, useState } from "react";

import { type LightData, type Panel, pictures } from "../../api/client";
import { hexOf, linearOf } from "../../ui/color";
import { Mark } from "../../ui/Mark";
import { DaylightForm } from "./DaylightForm";
import { PanelsForm } from "./PanelsForm";
import type { Put } from "./put";

const lux = (value: number) => `${value >= 1000 ? value.toFixed(0) : value.toPrecision(3)} lx`;

/** What surrounds the scene as a wide strip that is dragged to turn it, with the sun and the panels on it, and what it can be made from. */
export function EnvironmentStrip({ move, data, onPut }: { move: number; data: LightData; onPut: Put }) {
  const environment = data.environment;
  const [open, setOpen] = useState<"daylight" | "panels" | null>(null);
  const kept = environment ? (environment.turn_rad * 180) / Math.PI : 0;
  const [turn, setTurn] = useState(kept);
  const [drag, setDrag] = useState<{ x: number; turn: number; width: number } | null>(null);
  const [level, setLevel] = useState(String(environment?.level ?? 1));
  useEffect(() => setTurn(kept), [kept]);
  useEffect(() => setLevel(String(environment?.level ?? 1)), [environment?.level]);
  const more = (
    <>
      <div className="flex items-center gap-2 border-b border-base-300 bg-base-100 px-6 py-2">
        <button className="press" aria-expanded={open === "daylight"} aria-pressed={open === "daylight"} onClick={() => setOpen(open === "daylight" ? null : "daylight")}>
          Daylight{data.daylight ? ` of ${data.daylight.day}` : "…"}
        </button>
        <button className="press" aria-expanded={open === "panels"} aria-pressed={open === "panels"} onClick={() => setOpen(open === "panels" ? null : "panels")}>
          {data.panels.length ? `${data.panels.length} soft panel${data.panels.length > 1 ? "s" : ""}` : "Soft panels…"}
        </button>
        {environment && <TiltAndTint data={data} onPut={onPut} />}
      </div>
      {open === "daylight" && <DaylightForm told={data.daylight} onPut={onPut} />}
      {open === "panels" && <PanelsForm panels={data.panels} onPut={onPut} />}
    </>
  );
  if (!environment)
    return (
      <section aria-label="Environment">
        <p className="border-b border-base-300 px-6 py-4 text-soft">Nothing surrounds the scene. Drop a latitude-longitude EXR or HDR beside it, take a daylight sky, or hang soft panels on nothing.</p>
        {more}
      </section>
    );
  const keep = (degrees: number) => onPut("environment", "turn_rad", (degrees * Math.PI) / 180);
  const wrapped = (degrees: number) => ((((degrees + 180) % 360) + 360) % 360) - 180;
  return (
    <section aria-label="Environment" className="border-b border-base-300">
      <div
        className="relative h-44 cursor-ew-resize touch-none overflow-hidden bg-booth"
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          setDrag({ x: event.clientX, turn, width: event.currentTarget.clientWidth });
        }}
        onPointerMove={(event) => drag && setTurn(wrapped(drag.turn - ((event.clientX - drag.x) / drag.width) * 360))}
        onPointerUp={() => {
          if (drag && turn !== drag.turn) keep(turn);
          setDrag(null);
        }}
      >
        <div className="absolute inset-0" style={{ backgroundImage: `url("${pictures.image(move, environment.image, 1024)}&v=${data.version.slice(0, 12)}")`, backgroundSize: "100% 100%", backgroundRepeat: "repeat-x", backgroundPositionX: `${(-turn / 360) * 100}cqw` }} />
        <span className="plate absolute top-3 left-3.5">{environment.name}</span>
        <span className="plate absolute top-3 right-3.5 flex items-center gap-2 [--color-base-content:#22241f]">
          {environment.mark && <Mark mark={environment.mark} />} {environment.text}
        </span>
        {environment.sun && (
          <span
            className={`absolute h-5 w-5 -translate-x-1/2 -translate-y-1/2 border-2 ${environment.taken ? "border-dashed" : ""} border-[#22241f] outline outline-[#fbfaf8]`}
            style={{ left: `${(((environment.sun.u * 360 - turn) % 360) + 360) % 360 / 3.6}%`, top: `${environment.sun.v * 100}%` }}
            title={environment.taken ? "the sun stood here; it is a light of its own now" : "the sun"}
          />
        )}
        {data.panels.map((panel, number) => (
          <PanelMark key={number} number={number} panel={panel} onMove={(change) => onPut("environment", "panels", data.panels.map((one, k) => (k === number ? { ...one, ...change } : one)))} />
        ))}
        <span className="plate absolute bottom-3 left-1/2 -translate-x-1/2">drag to turn</span>
        <span className="absolute inset-y-0 left-1/2 w-px bg-[#fbfaf8]" aria-hidden />
      </div>
      {environment.ground_lux !== null && (
        <div className="flex flex-wrap items-center gap-x-6 gap-y-1 border-b border-base-300 bg-base-100 px-6 py-2">
          <span>
            On open ground <b className="font-mono">{lux(environment.ground_lux)}</b>
            {environment.subject_lux !== null && (
              <>
                , towards the first camera <b className="font-mono">{lux(environment.subject_lux)}</b>
              </>
            )}
          </span>
          {environment.sun ? (
            <>
              <span>
                Sun <b className="font-mono">{lux(environment.sun.lux)}</b> facing it, {environment.sun.height_deg.toFixed(0)}° high, {environment.sun.angle_deg.toFixed(1)}° wide, {Math.round(100 * environment.sun.share)} % of all light
              </span>
              <button className="press" onClick={() => onPut("environment", "sun_out", !environment.taken)}>
                {environment.taken ? "Put it back into the picture" : "Take it out as a light of its own"}
              </button>
            </>
          ) : (
            <span className="text-soft">{environment.sun_apart ? "its sun is a light of its own" : "no sun stands out in it"}</span>
          )}
        </div>
      )}
      <div className="flex items-center gap-6 bg-base-100 px-6 py-3">
        <label className="flex flex-1 items-center gap-3">
          <span>Turn</span>
          <input type="range" min={-180} max={180} step={1} value={turn} className="flex-1 accent-(--color-primary)" onChange={(event) => setTurn(Number(event.target.value))} onPointerUp={() => keep(turn)} onKeyUp={() => turn !== kept && keep(turn)} />
          <span className="w-14 text-right font-mono">{turn.toFixed(0)}°</span>
        </label>
        <form
          className="flex items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            onPut("environment", "level", Number(level));
          }}
        >
          <label htmlFor="level">Level</label>
          <input id="level" className="field w-20 font-mono" inputMode="decimal" value={level} onChange={(event) => setLevel(event.target.value)} />
          <span className="text-soft">nit for a picture value of 1</span>
          <button className="press" disabled={!Number.isFinite(Number(level)) || Number(level) === environment.level}>
            Set
          </button>
        </form>
      </div>
      {more}
    </section>
  );
}

/** A panel's place on the strip: dragged, or moved with the arrow keys. */
function PanelMark({ number, panel, onMove }: { number: number; panel: Panel; onMove: (change: Partial<Panel>) => void }) {
  const [shift, setShift] = useState<{ x: number; y: number; az: number; height: number } | null>(null);
  const azimuth = panel.azimuth_deg + (shift?.az ?? 0);
  const height = Math.max(-90, Math.min(90, panel.height_deg + (shift?.height ?? 0)));
  const place = (degrees: number) => ((((degrees + 180) % 360) + 360) % 360) - 180;
  return (
    <button
      className={`absolute grid -translate-x-1/2 -translate-y-1/2 cursor-move place-items-center border-2 border-[#22241f] text-[11px] font-semibold text-[#22241f] outline outline-[#fbfaf8] ${panel.shape === "disc" ? "rounded-full" : ""}`}
      style={{ left: `${(place(azimuth) / 360 + 0.5) * 100}%`, top: `${(0.5 - height / 180) * 100}%`, width: `${Math.max((panel.width_deg / 360) * 100, 1.4)}%`, height: `${Math.max((panel.tall_deg / 180) * 100, 9)}%` }}
      aria-label={`Panel ${number + 1}: ${place(azimuth).toFixed(0)} degrees round, ${height.toFixed(0)} high`}
      onPointerDown={(event) => {
        event.stopPropagation();
        event.currentTarget.setPointerCapture(event.pointerId);
        setShift({ x: event.clientX, y: event.clientY, az: 0, height: 0 });
      }}
      onPointerMove={(event) => {
        const strip = event.currentTarget.parentElement;
        if (shift && strip) setShift({ ...shift, az: ((event.clientX - shift.x) / strip.clientWidth) * 360, height: (-(event.clientY - shift.y) / strip.clientHeight) * 180 });
      }}
      onPointerUp={(event) => {
        event.stopPropagation();
        if (shift && (shift.az || shift.height)) onMove({ azimuth_deg: place(azimuth), height_deg: height });
        setShift(null);
      }}
      onKeyDown={(event) => {
        const step = { ArrowLeft: [-2, 0], ArrowRight: [2, 0], ArrowUp: [0, 2], ArrowDown: [0, -2] }[event.key];
        if (!step) return;
        event.preventDefault();
        onMove({ azimuth_deg: place(panel.azimuth_deg + step[0]!), height_deg: Math.max(-90, Math.min(90, panel.height_deg + step[1]!)) });
      }}
    >
      {number + 1}
    </button>
  );
}

function TiltAndTint({ data, onPut }: { data: LightData; onPut: Put }) {
  const kept = Math.round((data.tilt_rad * 180) / Math.PI);
  const [tilt, setTilt] = useState(String(kept));
  useEffect(() => setTilt(String(kept)), [kept]);
  const hex = hexOf(data.tint ?? [1, 1, 1]);
  return (
    <span className="ml-auto flex items-center gap-3">
      <form
        className="flex items-center gap-1.5"
        onSubmit={(event) => {
          event.preventDefault();
          if (Number.isFinite(Number(tilt))) onPut("environment", "tilt_rad", (Number(tilt) * Math.PI) / 180);
        }}
      >
        <label htmlFor="tilt">Tilt</label>
        <input id="tilt" className="field w-14 font-mono" inputMode="decimal" value={tilt} onChange={(event) => setTilt(event.target.value)} />°{Number(tilt) !== kept && <button className="press h-6 px-2">Set</button>}
      </form>
      <label className="flex items-center gap-1.5">
        Tint
        <input type="color" className="h-6 w-8 border border-base-300" value={hex} onChange={(event) => onPut("environment", "tint", linearOf(event.target.value))} />
      </label>
      {data.tint && (
        <button className="text-[12px] text-soft underline" onClick={() => onPut("environment", "tint", null)}>
          untinted
        </button>
      )}
    </span>
  );
}

