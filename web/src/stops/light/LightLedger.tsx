import { useEffect, useState } from "react";
import { useNavigate } from "react-router";

import type { Light, LightData } from "../../api/client";
import { type Decision, type Put, rangeOf, type ValueOf } from "../../api/decisions";
import { Choose } from "../../ui/Choose";
import { ColorControl } from "../../ui/ColorControl";
import { Mark } from "../../ui/Mark";
import { NumberField } from "../../ui/NumberField";

type Aims = LightData["aims"];
/** A lamp's colour as it is shown: its strength is told beside it. */
const brightest = (color: number[]) => color.map((v) => v / Math.max(...color, 1e-9));

const KINDS = [
  ["sun", "a sun"],
  ["point", "a point"],
  ["spot", "a spot"],
  ["rectangle", "a rectangle"],
  ["disc", "a disc"],
] as const;

/** Every light in a row: what it is, how strong, where it stands, and what becomes of it; and lights that are added. */
export function LightLedger({
  lights,
  aims,
  next,
  onPut,
  onDecide,
  onAnother,
}: {
  lights: Light[];
  /** What a lamp may be aimed at. */
  aims: Aims;
  next: string;
  onPut: Put;
  onDecide: (decisions: Decision[]) => void;
  onAnother: (light: string, mirrored: boolean) => void;
}) {
  const on = lights.filter((one) => one.enabled);
  return (
    <section aria-label="Lights">
      <div className="flex items-center gap-3">
        <h1>Lights</h1>
        <select
          className="field h-6"
          aria-label="Add a light"
          value=""
          onChange={(event) => {
            const kind = event.target.value as NonNullable<ValueOf<"lamp">>["kind"];
            onPut(next, "lamp", { kind, name: `Added ${kind} ${next.split(" ").pop()}` });
          }}
        >
          <option value="" disabled>
            Add a light…
          </option>
          {KINDS.map(([kind, words]) => (
            <option key={kind} value={kind}>
              {words}
            </option>
          ))}
        </select>
        {on.length > 0 && (
          <button
            className="press h-6 px-2"
            onClick={() => onDecide(on.map((one) => ({ target: one.id, field: "enabled", value: false })))}
          >
            Switch all off
          </button>
        )}
      </div>
      {lights.length === 0 ? (
        <p className="mt-2 text-soft">
          No lights came along. Only the environment and what glows light the scene, until a light is added.
        </p>
      ) : (
        <table className="mt-3 w-full border-collapse">
          <thead>
            <tr className="border-b border-base-300 text-left text-soft">
              <th className="w-10 py-1 font-normal">on</th>
              <th className="font-normal">light</th>
              <th className="w-36 font-normal">kind and size</th>
              <th className="w-44 font-normal">strength</th>
              <th className="w-22 font-normal">as warm as</th>
              <th className="w-56 font-normal">° round, ° high, m away</th>
              <th className="w-16 font-normal">shadows</th>
              <th className="w-22 text-right font-normal">received</th>
              <th className="w-56 pl-6 font-normal">arrives</th>
            </tr>
          </thead>
          <tbody>
            {lights.map((light) => (
              <Row
                key={light.id}
                light={light}
                groups={aims.groups}
                middle={aims.middle_m}
                onPut={onPut}
                onAnother={onAnother}
              />
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

function Row({
  light,
  groups,
  middle,
  onPut,
  onAnother,
}: {
  light: Light;
  groups: Aims["groups"];
  middle: number[];
  onPut: Put;
  /** Asks for a lamp like it, mirrored or beside it. */
  onAnother: (light: string, mirrored: boolean) => void;
}) {
  const [unit, setUnit] = useState(light.unit);
  const shown = light.units.find((one) => one.unit === unit) ?? light.units[0]!;
  const written = String(Number(shown.value.toPrecision(5)));
  const [strength, setStrength] = useState(written);
  useEffect(() => setStrength(written), [written]);
  const changed = strength !== written && Number(strength) >= 0;
  const stand = light.stand;

  const navigate = useNavigate();
  function act(what: string) {
    if (what === "place")
      return void navigate(`../inventory?tab=lights&lighting=${encodeURIComponent(light.id)}`);
    if (what === "away") return onPut(light.id, "lamp", null);
    if (what === "middle") return onPut(light.id, "aim", middle);
    if (what.startsWith("aim ")) {
      const group = groups.find((one) => one.id === what.slice(4));
      if (group) onPut(light.id, "aim", group.middle_m);
      return;
    }
    onAnother(light.id, what === "mirror");
  }

  return (
    <tr className="h-8 border-b border-base-300">
      <td>
        <input
          type="checkbox"
          aria-label={`${light.name} on`}
          checked={light.enabled}
          onChange={(event) => onPut(light.id, "enabled", event.target.checked)}
        />
      </td>
      <td>
        <span className="flex items-center gap-2">
          {!light.opening && (
            <ColorControl
              label={`Colour of ${light.name}`}
              linear={brightest(light.color)}
              onSet={(color) => Math.max(...color) > 0 && onPut(light.id, "lamp_color", color)}
              bare
            />
          )}
          <span className="min-w-0 truncate">{light.name}</span>
          <Choose
            label="More"
            options={[
              ["again", "one more like it"],
              ["mirror", "its mirror image across"],
              ...(light.opening ? [] : [["place", "light a place…"] as [string, string]]),
              ...(light.kind !== "point" ? [["middle", "aim at the middle"] as [string, string]] : []),
              ...(light.kind !== "point"
                ? groups.map((group) => [`aim ${group.id}`, `aim at ${group.name}`] as [string, string])
                : []),
              ...(light.added ? [["away", "take it away"] as [string, string]] : []),
            ]}
            onPick={act}
            wide="h-6 w-[72px]"
          />
        </span>
      </td>
      <td className="text-soft">
        <div className="flex flex-wrap items-center gap-x-2 gap-y-1.5 py-0.5">
          {light.kind === "rectangle" ? (
            <select
              className="field h-6"
              aria-label={`What ${light.name} is`}
              value={light.opening ? "opening" : "rectangle"}
              title="an opening shines nothing itself: the environment comes in through it, and paths look there first"
              onChange={(event) => onPut(light.id, "opening", event.target.value === "opening")}
            >
              <option value="rectangle">rectangle</option>
              <option value="opening">opening</option>
            </select>
          ) : (
            light.kind
          )}
          <Size light={light} onPut={onPut} />
        </div>
      </td>
      <td>
        {!light.opening && (
          <form
            className="flex items-center gap-1.5"
            onSubmit={(event) => {
              event.preventDefault();
              if (changed) onPut(light.id, "intensity", Number(strength) * shown.each);
            }}
          >
            <input
              className="field h-6 w-20 font-mono"
              aria-label={`Strength of ${light.name}`}
              inputMode="decimal"
              value={strength}
              onChange={(event) => setStrength(event.target.value)}
            />
            {light.units.length > 1 ? (
              <select
                className="field h-6 w-[66px]"
                aria-label={`Unit of ${light.name}`}
                value={unit}
                onChange={(event) => setUnit(event.target.value)}
              >
                {light.units.map((one) => (
                  <option key={one.unit}>{one.unit}</option>
                ))}
              </select>
            ) : (
              <span className="w-[66px] pl-1.5">{unit}</span>
            )}
            {changed && <button className="press h-6 px-2">Set</button>}
          </form>
        )}
      </td>
      <td>{!light.opening && <Warmth light={light} onPut={onPut} />}</td>
      <td>
        {stand && (
          <span className="flex items-center gap-1">
            <NumberField
              label={`${light.name}, degrees round`}
              value={stand.azimuth_deg}
              range={rangeOf("stand", "azimuth_deg")}
              digits={3}
              className="w-16"
              onSet={(azimuth_deg) => onPut(light.id, "stand", { ...stand, azimuth_deg })}
            />
            <NumberField
              label={`${light.name}, degrees high`}
              value={stand.height_deg}
              range={rangeOf("stand", "height_deg")}
              digits={3}
              className="w-16"
              onSet={(height_deg) => onPut(light.id, "stand", { ...stand, height_deg })}
            />
            {light.kind !== "sun" && (
              <NumberField
                label={`${light.name}, metres away`}
                value={stand.distance_m}
                range={rangeOf("stand", "distance_m")}
                digits={3}
                className="w-16"
                onSet={(distance_m) => onPut(light.id, "stand", { ...stand, distance_m })}
              />
            )}
          </span>
        )}
      </td>
      <td>
        {!light.opening && (
          <input
            type="checkbox"
            aria-label={`${light.name} casts shadows`}
            checked={light.shadows}
            onChange={(event) => onPut(light.id, "shadows", event.target.checked)}
          />
        )}
      </td>
      <td className="text-right font-mono text-soft">
        {light.added ? "" : `${Number(light.received_intensity.toFixed(2))} ${light.unit}`}
      </td>
      <td className="pl-6">
        <span className="tight flex items-center gap-2 text-[12px]">
          {light.mark && <Mark mark={light.mark} />} {light.text}
        </span>
      </td>
    </tr>
  );
}

/** How wide a sun is seen, or how large a surface is. */
function Size({ light, onPut }: { light: Light; onPut: Put }) {
  const field = (key: "angle_deg" | "width_m" | "height_m" | "radius_m", words: string) => (
    <NumberField
      label={`${light.name}, ${words}`}
      value={light[key]}
      range={rangeOf(key)}
      digits={3}
      className="w-13"
      onSet={(value) => onPut(light.id, key, value)}
    />
  );
  if (light.kind === "sun") return <span>{field("angle_deg", "degrees wide")}°</span>;
  if (light.kind === "disc") return <span>{field("width_m", "metres across")} m</span>;
  const ball = (
    <span className="flex items-center gap-1" title="0 is a point; a ball throws soft shadows">
      r {field("radius_m", "metres of radius")} m
    </span>
  );
  if (light.kind === "point") return ball;
  if (light.kind === "spot")
    return (
      <>
        {ball}
        <span
          className="flex items-center gap-1"
          title="half angles: where it begins to fade, and where it ends"
        >
          <NumberField
            label={`${light.name}, half angle where it begins to fade`}
            value={light.inner_deg}
            range={{
              words: `up to ${light.outer_deg.toFixed(1)} degrees`,
              minimum: 0,
              maximum: light.outer_deg,
            }}
            digits={3}
            className="w-13"
            onSet={(inner_deg) => onPut(light.id, "cone", { inner_deg, outer_deg: light.outer_deg })}
          />
          to
          <NumberField
            label={`${light.name}, half angle where it ends`}
            value={light.outer_deg}
            range={rangeOf("cone", "outer_deg")}
            digits={3}
            className="w-13"
            onSet={(outer_deg) =>
              onPut(light.id, "cone", { inner_deg: Math.min(light.inner_deg, outer_deg), outer_deg })
            }
          />
          °
        </span>
      </>
    );
  if (light.kind !== "rectangle") return null;
  return (
    <span className="flex items-center gap-1">
      {field("width_m", "metres wide")}×{field("height_m", "metres high")} m
    </span>
  );
}

function Warmth({ light, onPut }: { light: Light; onPut: Put }) {
  const [kelvin, setKelvin] = useState("");
  return (
    <form
      className="flex items-center gap-1"
      onSubmit={(event) => {
        event.preventDefault();
        if (Number(kelvin) >= 1667 && Number(kelvin) <= 25000) onPut(light.id, "kelvin", Number(kelvin));
      }}
    >
      <input
        className="field h-6 w-16 font-mono"
        aria-label={`Colour temperature of ${light.name}, kelvin`}
        placeholder="K"
        inputMode="numeric"
        value={kelvin}
        onChange={(event) => setKelvin(event.target.value)}
      />
      {kelvin && <button className="press h-6 px-1.5">Set</button>}
    </form>
  );
}
