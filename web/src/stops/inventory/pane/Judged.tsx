import { type RefObject, useEffect, useRef, useState } from "react";

import { api, type Glance, got } from "../../../api/client";
import { Slider } from "../../../ui/Slider";
import type { Sharing } from "../../../view/lit/Halves";
import type { Side } from "../../../view/lit/useLit";

interface Stand {
  matrix: number[];
  yfov_rad: number;
}
const REST_MS = 350;
const LOOK_MS = 150;
const SURE = 1;
const label = { received: "as received", mended: "reference", arrival: "arrival" } as const;

/** Over two sides that share the view: their names, the place a wiped picture is parted, and, where the view rests on reference and arrival, what the proof's renderer makes of it, sharper and sharper, with its figure. */
export function Judged({
  move,
  standing,
  left,
  right,
  sharing,
  parted,
  onParted,
  version,
}: {
  move: number;
  standing: RefObject<(() => Stand | null) | null>;
  left: Side;
  right: Side;
  sharing: Sharing;
  parted: number;
  onParted: (parted: number) => void;
  version: string;
}) {
  const holder = useRef<HTMLDivElement>(null);
  const judges = [left, right].includes("mended") && [left, right].includes("arrival");
  const { glance, problem } = useGlance(move, standing, holder, judges, sharing, version);
  const picture = (side: Side) =>
    glance && `data:image/png;base64,${side === "arrival" ? glance.arrival : glance.reference}`;
  const width = glance ? glance.subject.high - glance.subject.low : Infinity;
  const share = sharing === "beside" ? 0.5 : parted;
  return (
    <div ref={holder} className="pointer-events-none absolute inset-0 overflow-hidden">
      {glance &&
        ([left, right] as const).map((side, at) => (
          <div
            key={side}
            className="absolute inset-y-0 overflow-hidden"
            style={at ? { left: `${100 * share}%`, right: 0 } : { left: 0, width: `${100 * share}%` }}
          >
            <img
              src={picture(side) ?? ""}
              alt={`${label[side]}, rendered`}
              className="absolute h-full max-w-none"
              style={
                sharing === "beside"
                  ? { width: "100%" }
                  : {
                      width: holder.current?.clientWidth,
                      left: at ? -share * (holder.current?.clientWidth ?? 0) : 0,
                    }
              }
            />
          </div>
        ))}
      <span className="absolute inset-y-0 w-px bg-[#fbfaf8]" style={{ left: `${100 * share}%` }} />
      <span className="plate absolute top-[72px] left-3.5">{label[left]}</span>
      <span className="plate absolute top-[72px] right-3.5">{label[right]}</span>
      {judges && (
        <div role="status" className="plate absolute top-[72px] left-1/2 -translate-x-1/2 text-center">
          {problem ? (
            problem
          ) : !glance ? (
            "Let it rest: the proof’s renderer looks from here."
          ) : width > 2 * SURE ? (
            `Settling, ${glance.samples} samples a pixel`
          ) : (
            <>
              <b className="text-[15px]">ΔE {glance.subject.value.toFixed(1)}</b> {glance.words}, within{" "}
              {glance.subject.low.toFixed(1)} to {glance.subject.high.toFixed(1)}
            </>
          )}
        </div>
      )}
      {sharing === "wipe" && (
        <div className="pointer-events-auto absolute right-10 bottom-28 left-10">
          <Slider
            label="Where the picture is parted"
            value={parted}
            least={0}
            most={1}
            step={0.01}
            onChange={onParted}
            words={(value) => `${Math.round(100 * value)} % ${label[left]}`}
          />
        </div>
      )}
    </div>
  );
}

/** What the proof's renderer sees from where the view rests; nothing while it moves. */
function useGlance(
  move: number,
  standing: RefObject<(() => Stand | null) | null>,
  holder: RefObject<HTMLDivElement | null>,
  wanted: boolean,
  sharing: Sharing,
  version: string,
) {
  const [glance, setGlance] = useState<Glance | null>(null);
  const [problem, setProblem] = useState("");
  useEffect(() => {
    setGlance(null);
    setProblem("");
    if (!wanted) return;
    let stop = new AbortController();
    let before = "";
    let since = 0;
    let asked = "";

    async function refine(stand: Stand, aspect: number, signal: AbortSignal) {
      for (let step = 0; ;) {
        const answer = await got(
          api.GET("/api/moves/{move_id}/glance", {
            params: {
              path: { move_id: move },
              query: {
                matrix: stand.matrix.map((v) => v.toPrecision(9)).join(","),
                yfov_rad: stand.yfov_rad,
                aspect,
                step,
              },
            },
            signal,
          }),
        );
        if (signal.aborted) return;
        if ("coming" in answer) {
          await new Promise((resolve) => setTimeout(resolve, 120));
          continue;
        }
        setGlance(answer);
        if (answer.last) return;
        step = answer.step + 1;
      }
    }

    const timer = setInterval(() => {
      const stand = standing.current?.();
      const box = holder.current?.getBoundingClientRect();
      if (!stand || !box?.height) return;
      const wide = sharing === "beside" ? box.width / 2 : box.width;
      const aspect = Math.min(Math.max(wide / box.height, 0.25), 4);
      const now = `${stand.matrix.map((v) => v.toFixed(5)).join()} ${stand.yfov_rad} ${aspect.toFixed(3)}`;
      if (now !== before) {
        before = now;
        since = Date.now();
        if (asked) {
          stop.abort();
          asked = "";
          setGlance(null);
        }
      } else if (asked !== now && Date.now() - since >= REST_MS) {
        asked = now;
        stop = new AbortController();
        refine(stand, aspect, stop.signal).catch((reason: unknown) => {
          if (!stop.signal.aborted)
            setProblem(reason instanceof Error ? reason.message : "It cannot be drawn.");
        });
      }
    }, LOOK_MS);
    return () => {
      clearInterval(timer);
      stop.abort();
    };
  }, [move, standing, holder, wanted, sharing, version]);
  return { glance, problem };
}
