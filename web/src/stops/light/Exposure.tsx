import { useEffect, useState } from "react";

import { api, got } from "../../api/client";
import type { Put } from "../../api/decisions";

/** The exposure that both sides are judged at: metered once, pinned by hand, or by a camera's settings. */
export function Exposure({ ev100, move, onPut }: { ev100: number | null; move: number; onPut: Put }) {
  const [value, setValue] = useState(ev100 === null ? "3.0" : String(ev100));
  const [stop, setStop] = useState("2.8");
  const [shutter, setShutter] = useState("1/50");
  const [iso, setIso] = useState("400");
  useEffect(() => {
    if (ev100 !== null) setValue(String(ev100));
  }, [ev100]);
  const seconds = shutter.includes("/")
    ? Number(shutter.split("/")[0]) / Number(shutter.split("/")[1])
    : Number(shutter);
  const fine = [Number(stop), seconds, Number(iso)].every((v) => Number.isFinite(v) && v > 0);
  return (
    <section aria-label="Exposure">
      <h1>Exposure</h1>
      <p className="mt-1 text-soft">Fixed and equal on both sides while judging, through one tone curve.</p>
      <label className="mt-3 flex items-center gap-2">
        <input
          type="radio"
          name="exposure"
          checked={ev100 === null}
          onChange={() => onPut("proof", "ev100", null)}
        />{" "}
        metered once, from the reference
      </label>
      <form
        className="mt-2 flex items-center gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          if (Number.isFinite(Number(value))) onPut("proof", "ev100", Number(value));
        }}
      >
        <input
          type="radio"
          name="exposure"
          aria-label="set by hand"
          checked={ev100 !== null}
          onChange={() => onPut("proof", "ev100", Number(value))}
        />
        <label htmlFor="ev">EV100</label>
        <input
          id="ev"
          className="field w-16 font-mono"
          inputMode="decimal"
          value={value}
          onChange={(event) => setValue(event.target.value)}
        />
        <button className="press">Set</button>
      </form>
      <form
        className="mt-2 flex items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          if (fine)
            void got(
              api.GET("/api/moves/{move_id}/exposure", {
                params: {
                  path: { move_id: move },
                  query: { f_stop: Number(stop), shutter_s: seconds, iso: Number(iso) },
                },
              }),
            ).then((found) => onPut("proof", "ev100", Math.round(found.ev100 * 100) / 100));
        }}
      >
        <label className="block">
          <span className="block text-[12px] text-soft">f-stop</span>
          <input
            className="field w-14 font-mono"
            value={stop}
            onChange={(event) => setStop(event.target.value)}
          />
        </label>
        <label className="block">
          <span className="block text-[12px] text-soft">shutter, s</span>
          <input
            className="field w-16 font-mono"
            value={shutter}
            onChange={(event) => setShutter(event.target.value)}
          />
        </label>
        <label className="block">
          <span className="block text-[12px] text-soft">ISO</span>
          <input
            className="field w-16 font-mono"
            value={iso}
            onChange={(event) => setIso(event.target.value)}
          />
        </label>
        <button className="press" disabled={!fine}>
          As this camera
        </button>
      </form>
    </section>
  );
}
