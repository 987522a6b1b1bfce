import { useState } from "react";

import type { Daylight } from "../../api/client";
import type { Put } from "../../api/decisions";

const USUAL: Daylight = { latitude: 45.4, longitude: 9.2, day: "2026-06-21", hour: 16, offset_h: 2, haze: 3 };

/** Place, day, hour and haze of a daylight sky; it comes as a picture and a sun. */
export function DaylightForm({ told, onPut }: { told: Daylight | null; onPut: Put }) {
  const [wish, setWish] = useState<Record<keyof Daylight, string>>(() => {
    const start = told ?? USUAL;
    return Object.fromEntries(Object.entries(start).map(([key, value]) => [key, String(value)])) as Record<
      keyof Daylight,
      string
    >;
  });
  const field = (key: keyof Daylight, label: string, wide: string, type = "text") => (
    <label className="block">
      <span className="block text-[12px] text-soft">{label}</span>
      <input
        className={`field font-mono ${wide}`}
        type={type}
        inputMode={type === "text" ? "decimal" : undefined}
        value={wish[key]}
        onChange={(event) => setWish({ ...wish, [key]: event.target.value })}
      />
    </label>
  );
  return (
    <form
      aria-label="Daylight"
      className="flex flex-wrap items-end gap-3 border-b border-base-300 bg-base-100 px-6 py-3"
      onSubmit={(event) => {
        event.preventDefault();
        onPut("environment", "daylight", {
          day: wish.day,
          latitude: Number(wish.latitude),
          longitude: Number(wish.longitude),
          hour: Number(wish.hour),
          offset_h: Number(wish.offset_h),
          haze: Number(wish.haze),
        });
      }}
    >
      {field("latitude", "Latitude, north", "w-20")}
      {field("longitude", "Longitude, east", "w-20")}
      {field("day", "Day", "w-36", "date")}
      {field("hour", "Hour by the clock", "w-20")}
      {field("offset_h", "Clock ahead, h", "w-20")}
      {field("haze", "Haze, 2 to 10", "w-20")}
      <button className="press press-main">{told ? "Change the sky" : "Take this sky"}</button>
      {told && (
        <button type="button" className="press" onClick={() => onPut("environment", "daylight", null)}>
          What came along instead
        </button>
      )}
      <p className="w-full text-[12px] text-soft">
        It takes the place of the environment, with the sun as a light of its own. Other suns stay: switch
        them off below, or there are two.
      </p>
    </form>
  );
}
