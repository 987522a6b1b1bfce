import { useEffect, useState } from "react";

import type { LightData } from "../../api/client";
import { ColorControl } from "../../ui/ColorControl";
import { useLightBy } from "../../api/hooks";
import { Notice } from "../../ui/Notice";
import { BackdropForm } from "./BackdropForm";
import { DaylightForm } from "./DaylightForm";
import { PanelsForm } from "./PanelsForm";
import type { Put } from "../../api/decisions";
import { Lightings } from "./Lightings";
import { LightPicture, Strip } from "./Strip";
import { useDropLight } from "./useDropLight";
import { Slider } from "../../ui/Slider";

const lux = (value: number) => `${value >= 1000 ? value.toFixed(0) : value.toPrecision(3)} lx`;

/** What surrounds the scene as a wide strip that is dragged to turn it, with the sun and the panels on it, and what it can be made from. */
export function EnvironmentStrip({ move, data, onPut }: { move: number; data: LightData; onPut: Put }) {
  const environment = data.environment;
  const [open, setOpen] = useState<"daylight" | "panels" | "backdrop" | null>(null);
  const kept = environment ? (environment.turn_rad * 180) / Math.PI : 0;
  const [turn, setTurn] = useState(kept);
  const [level, setLevel] = useState(String(environment?.level ?? 1));
  useEffect(() => setTurn(kept), [kept]);
  useEffect(() => setLevel(String(environment?.level ?? 1)), [environment?.level]);
  const [trying, setTrying] = useState("");
  const takeBy = useLightBy(move);
  const drop = useDropLight(move);
  const more = (
    <>
      <Lightings move={move} data={data} onTry={setTrying} onTake={(key) => takeBy.mutate(key)} />
      {(takeBy.error ?? drop.error) && <Notice error={takeBy.error ?? drop.error} />}
      <div className="flex items-center gap-2 border-b border-base-300 bg-base-100 px-6 py-2">
        <button
          className="press"
          aria-expanded={open === "daylight"}
          aria-pressed={open === "daylight"}
          onClick={() => setOpen(open === "daylight" ? null : "daylight")}
        >
          Daylight{data.daylight ? ` of ${data.daylight.day}` : "…"}
        </button>
        <button
          className="press"
          aria-expanded={open === "panels"}
          aria-pressed={open === "panels"}
          onClick={() => setOpen(open === "panels" ? null : "panels")}
        >
          {data.panels.length
            ? `${data.panels.length} soft panel${data.panels.length > 1 ? "s" : ""}`
            : "Soft panels…"}
        </button>
        <button
          className="press"
          aria-expanded={open === "backdrop"}
          aria-pressed={open === "backdrop"}
          onClick={() => setOpen(open === "backdrop" ? null : "backdrop")}
        >
          {data.backdrop ? "Backdrop" : "Backdrop…"}
        </button>
        {environment && <TiltAndTint data={data} onPut={onPut} />}
      </div>
      {open === "daylight" && <DaylightForm told={data.daylight} onPut={onPut} />}
      {open === "panels" && <PanelsForm panels={data.panels} onPut={onPut} />}
      {open === "backdrop" && <BackdropForm move={move} data={data} onPut={onPut} />}
    </>
  );
  if (!environment)
    return (
      <section aria-label="Environment" {...drop.handlers}>
        <div className="flex gap-px bg-base-300">
          <div className="min-w-0 flex-1">
            <Strip move={move} data={data} turn={0} onTurn={() => undefined} onPut={onPut} />
          </div>
          <LightPicture move={move} data={data} trying={trying} />
        </div>
        <p className="border-b border-base-300 px-6 py-3 text-soft">
          Drop a latitude-longitude EXR or HDR here, or take one of these skies and rooms.
        </p>
        {more}
      </section>
    );
  const keep = (degrees: number) => onPut("environment", "turn_rad", (degrees * Math.PI) / 180);
  return (
    <section aria-label="Environment" className="border-b border-base-300" {...drop.handlers}>
      <div className="flex gap-px bg-base-300">
        <div className="min-w-0 flex-1">
          <Strip
            move={move}
            data={data}
            turn={turn}
            onTurn={(degrees, done) => {
              setTurn(degrees);
              if (done) keep(degrees);
            }}
            onPut={onPut}
          />
        </div>
        <LightPicture move={move} data={data} trying={trying} />
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
                Sun{" "}
                <i
                  className="mx-1 inline-block h-2.5 w-2.5 border border-base-content"
                  style={{ background: `color(srgb-linear ${environment.sun.color.join(" ")})` }}
                  title={`its colour: ${environment.sun.color.map((v) => v.toFixed(2)).join(", ")}, linear`}
                />{" "}
                <b className="font-mono">{lux(environment.sun.lux)}</b> facing it,{" "}
                {environment.sun.height_deg.toFixed(0)}° high, {environment.sun.angle_deg.toFixed(1)}° wide,{" "}
                {Math.round(100 * environment.sun.share)} % of all light
              </span>
              <button className="press" onClick={() => onPut("environment", "sun_out", !environment.taken)}>
                {environment.taken ? "Put it back into the picture" : "Take it out as a light of its own"}
              </button>
            </>
          ) : (
            <span className="text-soft">
              {environment.sun_apart ? "its sun is a light of its own" : "no sun stands out in it"}
            </span>
          )}
        </div>
      )}
      <div className="flex items-center gap-6 bg-base-100 px-6 py-3">
        <div className="flex flex-1 items-center gap-3">
          <span>Turn</span>
          <Slider
            label="Turn"
            least={-180}
            most={180}
            step={1}
            value={turn}
            onChange={setTurn}
            onSet={(degrees) => degrees !== kept && keep(degrees)}
            words={(degrees) => `${degrees} degrees`}
            className="flex-1"
          />
          <span className="w-14 text-right font-mono">{turn.toFixed(0)}°</span>
        </div>
        <form
          className="flex items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            onPut("environment", "level", Number(level));
          }}
        >
          <label htmlFor="level">Level</label>
          <input
            id="level"
            className="field w-20 font-mono"
            inputMode="decimal"
            value={level}
            onChange={(event) => setLevel(event.target.value)}
          />
          <span className="text-soft">nit for a picture value of 1</span>
          <button
            className="press"
            disabled={!Number.isFinite(Number(level)) || Number(level) === environment.level}
          >
            Set
          </button>
        </form>
      </div>
      {more}
    </section>
  );
}

function TiltAndTint({ data, onPut }: { data: LightData; onPut: Put }) {
  const kept = Math.round((data.tilt_rad * 180) / Math.PI);
  const [tilt, setTilt] = useState(String(kept));
  useEffect(() => setTilt(String(kept)), [kept]);
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
        <input
          id="tilt"
          className="field w-14 font-mono"
          inputMode="decimal"
          value={tilt}
          onChange={(event) => setTilt(event.target.value)}
        />
        °{Number(tilt) !== kept && <button className="press h-6 px-2">Set</button>}
      </form>
      <label className="flex items-center gap-1.5">
        Tint
        <ColorControl
          label="Tint of the surroundings"
          linear={data.tint ?? [1, 1, 1]}
          onSet={(color) => onPut("environment", "tint", color)}
          bare
        />
      </label>
      {data.tint && (
        <button
          className="text-[12px] text-soft underline"
          onClick={() => onPut("environment", "tint", null)}
        >
          untinted
        </button>
      )}
    </span>
  );
}
