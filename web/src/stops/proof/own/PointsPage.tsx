import { lazy, Suspense, useMemo, useState } from "react";

import type { Inventory, OwnPicture } from "../../../api/client";
import { useInventory } from "../../../api/hooks";
import { useSayOwnPicture } from "../../../api/ownPictures";
import { Notice, Waiting } from "../../../ui/Notice";
import type { Ask } from "../../../view/Framing";
import { useLit } from "../../../view/lit/useLit";
import type { Point } from "../../../view/Measured";
import { Clock } from "../../../view/motion/clock";
import { offMiddle } from "../../../view/offMiddle";
import { Pressed } from "./Pressed";

const View = lazy(() => import("../../../view/View").then((module) => ({ default: module.View })));
const WISH = { lens: "lit", input: "base_color", set: 0 } as const;
const nothing = () => undefined;
const stays = () => Promise.resolve(null);

interface Pair {
  place: number[] | null;
  pixel: number[] | null;
}
const whole = (pair: Pair): pair is { place: number[]; pixel: number[] } =>
  pair.place !== null && pair.pixel !== null;

/** The picture on the left, the model on the right: the same places are pressed on both, and say where the camera stood. */
export function PointsPage({
  move,
  ready,
  picture,
  least,
  onDone,
}: {
  move: number;
  ready: boolean;
  picture: OwnPicture;
  /** So many points say where it was taken. */
  least: number;
  onDone: () => void;
}) {
  const inventory = useInventory(move, ready);
  if (inventory.isPending) return <Waiting text="Laying out the model…" />;
  if (inventory.error) return <Notice error={inventory.error} onRetry={() => void inventory.refetch()} />;
  return <Points move={move} inventory={inventory.data} picture={picture} least={least} onDone={onDone} />;
}

function Points({
  move,
  inventory,
  picture,
  least,
  onDone,
}: {
  move: number;
  inventory: Inventory;
  picture: OwnPicture;
  least: number;
  onDone: () => void;
}) {
  const lit = useLit(move, "mended");
  const say = useSayOwnPicture(move);
  const clock = useMemo(() => new Clock(), []);
  const [pairs, setPairs] = useState<Pair[]>(picture.pairs);
  const [ask, setAsk] = useState<Ask>({ kind: "all", number: 0 });
  const told = pairs.filter(whole);
  const kept = say.data ?? picture;
  const solved = JSON.stringify(kept.pairs) === JSON.stringify(told) ? kept.camera : null;
  const there = solved ?? picture.stands;
  /** The pair that the next press belongs to: the first that lacks it, else a new one. */
  const put = (what: keyof Pair, value: number[]) =>
    setPairs((before) => {
      const open = before.findIndex((pair) => pair[what] === null);
      if (open >= 0) return before.map((pair, at) => (at === open ? { ...pair, [what]: value } : pair));
      const made: Pair = { place: null, pixel: null };
      return [...before, { ...made, [what]: value }];
    });
  const doubtful = new Set(solved?.doubtful.map((at) => pairs.indexOf(told[at]!)));
  const marks = pairs.flatMap(({ pixel }, at) =>
    pixel ? [{ number: at + 1, pixel, doubtful: doubtful.has(at) }] : [],
  );
  const numbered = useMemo(
    () => pairs.flatMap(({ place }, at) => (place ? [[at + 1, place as Point] as [number, Point]] : [])),
    [pairs],
  );
  const open = pairs.find((pair) => !whole(pair));
  return (
    <div className="flex h-full min-h-0">
      <Pressed
        shown={picture.shown}
        name={picture.name}
        width={picture.width}
        height={picture.height}
        marks={marks}
        onPress={(pixel) => put("pixel", pixel)}
      />
      <div className="relative min-w-0 flex-1 border-l border-base-content bg-booth">
        <Suspense fallback={<span className="plate absolute top-3 left-3">Preparing the view…</span>}>
          <View
            move={move}
            inventory={inventory}
            wish={WISH}
            chosen={[]}
            onChoose={nothing}
            ask={ask}
            rod="off"
            lamps={false}
            side="mended"
            lit={lit.data ?? null}
            against={null}
            sharing="beside"
            parted={0.5}
            marked={null}
            onFace={null}
            measured={null}
            numbered={numbered}
            onPoint={(place) => put("place", place)}
            onSurface={nothing}
            shot={null}
            clock={clock}
            walk={stays}
            drawing={null}
          />
        </Suspense>
        {there && (
          <button
            className="plate absolute bottom-3 left-3 cursor-pointer"
            onClick={() =>
              setAsk({
                kind: "place",
                number: ask.number + 1,
                place: { ...there, aspect: picture.width / picture.height },
              })
            }
          >
            Stand where it was taken
          </button>
        )}
      </div>
      <section
        aria-label="Points"
        className="flex w-[290px] shrink-0 flex-col border-l border-base-content p-3"
      >
        <div className="flex items-baseline gap-2">
          <h2 className="flex-1">Where it was taken</h2>
          <button className="press h-6 px-2" onClick={onDone}>
            Close
          </button>
        </div>
        <p className="mt-1 text-soft">
          Press the same place on the picture and on the model, {least} times or more: spread over the
          picture, near and far.
        </p>
        <p role="status" className="mt-2">
          {open
            ? `${pairs.indexOf(open) + 1}: now press it ${open.place ? "on the picture" : "on the model"}`
            : told.length < least
              ? `${told.length} of ${least} points`
              : `${told.length} points`}
        </p>
        <ol className="mt-2 min-h-0 flex-1 overflow-y-auto">
          {pairs.map((pair, at) => (
            <li key={at} className="flex h-7 items-center gap-2 border-b border-base-300">
              <span className="w-5 font-mono">{at + 1}</span>
              <span className="min-w-0 flex-1 truncate">
                {!whole(pair)
                  ? "half pressed"
                  : solved
                    ? `${solved.off_px[told.indexOf(pair)]!.toFixed(1)} px off${doubtful.has(at) ? ", press it again" : ""}`
                    : "pressed"}
              </span>
              <button
                className="text-[12px] underline"
                aria-label={`Take point ${at + 1} away`}
                onClick={() => setPairs(pairs.filter((one) => one !== pair))}
              >
                remove
              </button>
            </li>
          ))}
        </ol>
        {say.error && <Notice error={say.error} />}
        {solved && (
          <p className="mt-2">
            Its camera lies <b className="font-mono">{solved.rms_px.toFixed(1)} px</b> off the points, and is
            sure to {(solved.unsure_m * 100).toFixed(1)} cm
            {offMiddle(solved.shift) ? "; the picture is a part of a larger frame" : ""}
            {solved.bend !== 0 ? "; its lens bends lines, which is taken out" : ""}.
          </p>
        )}
        <div className="mt-2 flex gap-2">
          <button
            className="press press-main flex-1"
            disabled={told.length < least || say.isPending}
            onClick={() => say.mutate({ picture: picture.id, said: { pairs: told } })}
          >
            Find the camera
          </button>
          {picture.camera && (
            <button
              className="press"
              onClick={() =>
                say.mutate({ picture: picture.id, said: { pairs: [] } }, { onSuccess: () => setPairs([]) })
              }
            >
              Forget
            </button>
          )}
        </div>
      </section>
    </div>
  );
}
