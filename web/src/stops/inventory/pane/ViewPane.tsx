import { lazy, Suspense, useCallback, useMemo, useRef, useState } from "react";
import { useSearchParams } from "react-router";

import type { Finding, Inventory, Moving } from "../../../api/client";
import { whole } from "../../../ui/format";
import { useRested } from "../../../ui/useRested";
import { useSteady } from "../../../ui/useSteady";
import { drawnByCard } from "../../../view/card";
import type { Ask } from "../../../view/Framing";
import type { Sharing } from "../../../view/lit/Halves";
import { type Side, SIDES, useLit } from "../../../view/lit/useLit";
import { type Lens, LENSES, SETS } from "../../../view/lensNames";
import { Clock } from "../../../view/motion/clock";
import { useMoving } from "../../../view/motion/useMoving";
import { RODS, type RodShown } from "../../../view/rods";
import { useAspect, useOpening } from "../../../view/useOpening";
import type { Shot } from "../../../view/View";
import { HeldOver } from "./HeldOver";
import { Judged } from "./Judged";
import { LensBar } from "./LensBar";
import { LightPlace } from "./LightPlace";
import { Measuring } from "./Measuring";
import { MotionBar } from "./MotionBar";
import { PickedFaces } from "./PickedFaces";
import { PressOn } from "./PressOn";
import { SideBar } from "./SideBar";
import { Still } from "./Still";
import { DensityScale } from "./DensityScale";
import { usePicked } from "./usePicked";
import { usePlaces } from "./usePlaces";
import { useWalking } from "./useWalking";
import { ViewActs } from "./ViewActs";
import { WalkBar } from "./WalkBar";

/** Which clip a side shows, by the id that it has in the move, and the camera that it is looked at through. */
function shotOf(moving: Moving | undefined, clip: string, through: string): Shot | null {
  if (!moving) return null;
  const found = moving.clips.find((one) => (one.meant ?? one.id) === clip);
  return {
    view: moving.view,
    clip: found?.id ?? null,
    through: moving.cameras.find((one) => one.node === through) ?? null,
  };
}

const View = lazy(() => import("../../../view/View").then((module) => ({ default: module.View })));
const UvLayout = lazy(() => import("./UvLayout").then((module) => ({ default: module.UvLayout })));
/** Where the lens that was chosen last is remembered. */
const LENS = "trasloco lens";
const sideNamed = (name: string | null) => SIDES.find(([side]) => side === name)?.[0];

/** The live view with everything that is pressed on it: lens, side, framing, faces picked by hand. */
export function ViewPane({
  move,
  data,
  seen,
  onChoose,
  shown,
  onShown,
  ask,
  onAsk,
}: {
  move: number;
  data: Inventory;
  /** Chosen parts, with those of chosen groups. */
  seen: string[];
  onChoose: (part: string | null, more: boolean) => void;
  /** The finding whose faces are hatched. */
  shown: Finding | null;
  onShown: (finding: null) => void;
  ask: Ask;
  onAsk: (ask: Omit<Ask, "number">) => void;
}) {
  const [params, setParams] = useSearchParams();
  const lens = (LENSES.find(([name]) => name === (params.get("lens") ?? localStorage.getItem(LENS)))?.[0] ??
    "lit") as Lens;
  const input = params.get("input") ?? "base_color";
  const rod = (RODS.find((name) => name === params.get("rod")) ?? "on") as RodShown;
  // Marks of lamps are in the way of everything else: they are there beside the list of lights, and where asked for.
  const lamps = (params.get("lamps") ?? (params.get("tab") === "lights" ? "on" : "off")) === "on";
  const sharing: Sharing = params.get("sharing") === "wipe" ? "wipe" : "beside";
  const [parted, setParted] = useState(0.5);
  const standing = useRef<(() => { matrix: number[]; yfov_rad: number } | null) | null>(null);
  const picking = usePicked(move, seen);
  const walking = useWalking(move);
  const lighting = params.get("lighting");
  const places = usePlaces(standing, lighting === null ? null : "light");
  const faces = shown?.evidence.faces;
  const marked = faces && Object.keys(faces).length ? faces : null;
  const hatched = picking.picked ?? marked;
  const wanted = sideNamed(params.get("side")) ?? "mended";
  const placing = places.tool === "light" || places.tool === "press";
  const side: Side = hatched ? "received" : placing ? "mended" : wanted;
  const other = hatched || lens !== "lit" ? undefined : sideNamed(params.get("against"));
  const lit = useLit(move, lens === "lit" || side === "arrival" ? side : null);
  const otherLit = useLit(move, other && other !== side ? other : null);
  const set = Math.min(Math.max(Number(params.get("set") ?? 0) || 0, 0), SETS - 1);
  const wish = useMemo(() => ({ lens, input, set }), [lens, input, set]);
  const [clip, setClip] = useState<string | null>(null);
  const [through, setThrough] = useState("");
  const clock = useMemo(() => new Clock(), []);
  const inMotion = clip !== null && !hatched;
  const moving = useMoving(move, inMotion ? side : null);
  const otherMoving = useMoving(move, inMotion && other && other !== side ? other : null);
  const shot = useMemo(
    () => (inMotion ? shotOf(moving.data, clip, through) : null),
    [inMotion, moving.data, clip, through],
  );
  const otherShot = useMemo(
    () => (inMotion ? shotOf(otherMoving.data, clip, "") : null),
    [inMotion, otherMoving.data, clip],
  );
  const against = useMemo(
    () => (other && otherLit.data ? { side: other, lit: otherLit.data, shot: otherShot } : null),
    [other, otherLit.data, otherShot],
  );
  const put = (changes: Record<string, string>) =>
    setParams((before) => ({ ...Object.fromEntries(before), ...changes }), { replace: true });
  const waiting =
    (lit.isFetching && !lit.data) ||
    (other !== undefined && otherLit.isFetching && !otherLit.data) ||
    (inMotion && moving.isFetching && !moving.data);
  const size = data.size.high_m.map((high, axis) => (high - (data.size.low_m[axis] ?? 0)).toFixed(2));
  const away = data.findings
    .filter((finding) => finding.kind === "faces_away" && finding.state === "open")
    .reduce((sum, finding) => sum + (finding.evidence.face_count ?? 0), 0);
  const { by, brush_px, drawn } = picking;
  const asked = picking.picked !== null;
  const drawing = useMemo(
    () => (asked && by !== "press" ? { shape: by, brush_px, onDrawn: drawn } : null),
    [asked, by, brush_px, drawn],
  );
  // The list follows the hand at once; the model is marked when it rests, since drawing it may take longer.
  const marks = useRested(seen, drawnByCard() ? 0 : 200);
  const choose = useSteady(onChoose);
  const pickSurface = useSteady(picking.surface);
  const press = useSteady(places.press);
  const walk = useSteady(walking.step);
  const pane = useRef<HTMLElement>(null);
  const aspect = useAspect(pane);
  const [touched, setTouched] = useState(false);
  const [live, setLive] = useState(false);
  const hearLive = useCallback(() => setLive(true), []);
  // What is seen first is a still: of what is looked at later, the live picture is there.
  const first =
    !live &&
    !touched &&
    !ask.number &&
    lens === "lit" &&
    side !== "arrival" &&
    !other &&
    !hatched &&
    !inMotion;
  const opening = useOpening(move, side === "received" ? side : "mended", aspect, first);
  const still = first && !lit.error ? (opening?.still ?? null) : null;
  const problem = lit.error ?? otherLit.error ?? moving.error ?? otherMoving.error;

  return (
    <section
      ref={pane}
      aria-label="View"
      aria-busy={lens === "lit" && !live}
      className="relative min-w-0 flex-1 bg-booth"
      onPointerDown={() => setTouched(true)}
      onWheel={() => setTouched(true)}
    >
      <Suspense fallback={<span className="plate absolute top-3 left-3">Preparing the view…</span>}>
        <View
          move={move}
          inventory={data}
          wish={wish}
          chosen={marks}
          rod={against ? "off" : rod}
          lamps={(lamps || places.tool === "light") && !against}
          ask={ask}
          side={side}
          lit={lit.data ?? null}
          against={against}
          sharing={sharing}
          parted={parted}
          standing={standing}
          opening={opening}
          covered={still !== null}
          onLive={hearLive}
          shot={shot}
          clock={clock}
          marked={hatched}
          onFace={picking.picked ? picking.pick : null}
          onSurface={pickSurface}
          measured={places.tool ? places.points : null}
          onPoint={press}
          drawing={drawing}
          walk={walk}
          onChoose={choose}
        />
      </Suspense>
      {still !== null && <Still picture={still} />}
      {lens === "layout" && (
        <Suspense fallback={null}>
          <UvLayout move={move} data={data} seen={seen} set={set} />
        </Suspense>
      )}
      {against && !inMotion && (
        <Judged
          move={move}
          standing={standing}
          left={side}
          right={against.side}
          sharing={sharing}
          parted={parted}
          onParted={setParted}
          version={`${lit.data?.version} ${against.lit.version}`}
        />
      )}
      <HeldOver move={move} onStand={(place) => onAsk({ kind: "place", place })} />
      <div className="pointer-events-none absolute top-3 right-3.5 left-3.5 flex flex-wrap justify-between gap-1.5 *:pointer-events-auto">
        <LensBar
          lens={lens}
          input={input}
          materials={data.materials}
          onLens={(name) => {
            localStorage.setItem(LENS, name);
            put({ lens: name });
          }}
          onInput={(name) => put({ input: name })}
          set={set}
          sets={Math.max(1, ...data.parts.map((part) => Math.min(part.uv_sets, SETS)))}
          onSet={(number) => put({ set: String(number) })}
        />
        {lens !== "layout" && (
          <SideBar
            side={side}
            against={other}
            sharing={sharing}
            held={hatched !== null}
            onSide={(name) => put({ side: name })}
            onAgainst={(name, how) => put({ against: name ?? "", sharing: how })}
          />
        )}
      </div>
      <div className="pointer-events-none absolute right-3.5 bottom-3 left-3.5 flex flex-wrap items-end justify-between gap-2 *:pointer-events-auto">
        <ViewActs
          move={move}
          data={data}
          some={seen.length > 0}
          standing={standing}
          rod={rod}
          lamps={lens === "lit" && (lit.data?.lamps.length ?? 0) > 0 ? lamps : null}
          onLamps={() => put({ lamps: lamps ? "off" : "on" })}
          picking={picking.picked !== null}
          onAsk={onAsk}
          onPick={picking.toggle}
          playing={inMotion}
          onPlay={() => setClip(inMotion ? null : (data.clips.find((one) => one.included)?.id ?? null))}
          tool={places.tool}
          onTool={places.take}
          onRod={(name) => {
            put({ rod: name });
            onAsk({ kind: name === "person" ? "beside" : "all" });
          }}
        />
        {inMotion && moving.data && (
          <MotionBar
            move={move}
            moving={moving.data}
            clip={clip}
            clock={clock}
            through={through}
            standing={standing}
            onClip={setClip}
            onThrough={setThrough}
            onClose={() => {
              setClip(null);
              setThrough("");
            }}
          />
        )}
        {places.tool === "measure" && (
          <Measuring move={move} points={places.points} scale={data.size.scale} onDone={places.leave} />
        )}
        {ask.kind === "walk" && <WalkBar walking={walking} parts={data.parts.length} />}
        {places.tool === "light" && (
          <LightPlace move={move} light={lighting ?? ""} place={places.place} onDone={places.leave} />
        )}
        {places.tool === "press" && (
          <PressOn move={move} data={data} place={places.place} onDone={places.leave} />
        )}
        {picking.picked && (
          <PickedFaces move={move} picking={picking} materials={data.materials} within={seen.length} />
        )}
        {marked && !picking.picked && (
          <span className="plate">
            hatched: {shown?.title.toLowerCase()}, {whole(Number(shown?.evidence.face_count ?? 0))} faces{" "}
            <button className="underline" onClick={() => onShown(null)}>
              clear
            </button>{" "}
            <button className="underline" onClick={() => picking.start(marked)}>
              pick them
            </button>
          </span>
        )}
        {!marked && lens === "facing" && (
          <span className="plate">
            hatched: seen from behind{away ? `, ${whole(away)} faces look away` : ""}
          </span>
        )}
        {lens === "density" && <DensityScale />}
        {lens === "ids" && (
          <span className="plate max-w-[560px]">
            {data.materials.map((material, number) => `${number + 1} ${material.name}`).join(" · ")}
          </span>
        )}
        {problem && (
          <span role="alert" className="plate text-[#9a2e40]">
            {problem.message}
          </span>
        )}
        {!problem && waiting && still === null && (
          <span role="status" className="plate">
            {side === "arrival" || other === "arrival"
              ? "Delivering everything and reading it back…"
              : "Lighting it…"}
          </span>
        )}
        {still !== null && (
          <span role="status" className="plate">
            A still of the proof’s renderer; the live view is coming
          </span>
        )}
        <span className="plate font-mono" title="The browser’s quick look. The proof is rendered.">
          {size.join(" × ")} m · {whole(data.size.triangles)} triangles
          {lens === "lit" && !hatched && still === null ? " · quick look" : ""}
          {lens === "lit" && !hatched && lit.data?.stand_in ? " · in a stand-in light" : ""}
        </span>
      </div>
    </section>
  );
}
