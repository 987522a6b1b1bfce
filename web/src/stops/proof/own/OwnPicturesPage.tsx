import { useState } from "react";
import { useSearchParams } from "react-router";

import { type OwnPicture, type OwnPixel, pictures } from "../../../api/client";
import { isRunning, useAfter, useProofs } from "../../../api/hooks";
import { ownPixel, useGiveOwnPicture, useOwnPictures } from "../../../api/ownPictures";
import { DropPicture } from "../../../ui/DropPicture";
import { Notice, Waiting } from "../../../ui/Notice";
import { useShownMove } from "../../MoveShell";
import { Booth } from "../Booth";
import { Holding } from "./Holding";
import { LightMatch } from "./LightMatch";
import { MaterialNumbers } from "./MaterialNumbers";
import { OnMaterials } from "./OnMaterials";
import { PointsPage } from "./PointsPage";

type Beside = "reference" | "arrival";
const SIDE_WORDS = { reference: "reference", arrival: "arrival" } as const;

const KINDS = ["hold", "match light", "match material"];

/** One's own pictures of the scene, each held beside both sides of the proof, through the camera that it was taken with. */
export function OwnPicturesPage() {
  const move = useShownMove();
  const all = useOwnPictures(move.id);
  const proofs = useProofs(move.id);
  const give = useGiveOwnPicture(move.id);
  const [params, setParams] = useSearchParams();
  useAfter(move.job, KINDS, all.refetch);
  if (all.isPending || proofs.isPending) return <Waiting text="Looking for your pictures…" />;
  if (all.error) return <Notice error={all.error} onRetry={() => void all.refetch()} />;
  if (proofs.error) return <Notice error={proofs.error} onRetry={() => void proofs.refetch()} />;
  const { pictures: given, curves } = all.data;
  const chosen = given.find((one) => String(one.id) === params.get("picture")) ?? given[0];
  const put = (changes: Record<string, string>) =>
    setParams((before) => ({ ...Object.fromEntries(before), ...changes }), { replace: true });
  const take = (file: File | undefined) =>
    file &&
    give.mutate(
      { file, view: proofs.data.views[0] ?? "" },
      { onSuccess: (row) => put({ picture: String(row.id), points: "" }) },
    );
  if (chosen && params.get("points"))
    return (
      <PointsPage
        key={chosen.id}
        move={move.id}
        ready={move.ready}
        picture={chosen}
        least={all.data.least_points}
        onDone={() => put({ points: "" })}
      />
    );
  const drop = (
    <DropPicture
      words={
        give.isPending
          ? "Taking it in…"
          : given.length
            ? "Another picture: drop or choose"
            : "Drop your picture here, or choose it"
      }
      testId="own-picture"
      small={given.length > 0}
      onFile={take}
    />
  );
  if (!chosen)
    return (
      <div className="p-8">
        <h1>No picture of your own yet</h1>
        <p className="mt-1 max-w-xl text-soft">
          Give a render from the program the scene comes from, or a picture of it where it went. Its camera is
          found, and it is held beside both sides: what you see there, what was meant, and what arrives.
        </p>
        <div className="mt-4 max-w-md">{drop}</div>
        {give.error && <Notice error={give.error} />}
      </div>
    );
  return (
    <div className="h-full overflow-y-auto">
      <HeldBooth
        key={`${chosen.id} ${chosen.pictures.mine}`}
        move={move.id}
        picture={chosen}
        side={
          <>
            <Holding
              key={chosen.id}
              move={move.id}
              picture={chosen}
              job={move.job && isRunning(move.job) && KINDS.includes(move.job.kind) ? move.job : null}
              last={move.job ?? null}
              views={proofs.data.views}
              kept={proofs.data.kept}
              curves={curves}
              onPoints={() => put({ points: "press" })}
            />
            <div className="mt-3">{drop}</div>
            {give.error && <Notice error={give.error} />}
            <ul aria-label="Own pictures" className="mt-2 max-h-28 overflow-y-auto">
              {given.map((one) => (
                <li key={one.id}>
                  <button
                    className={`w-full truncate text-left ${one.id === chosen.id ? "font-semibold" : "underline"}`}
                    aria-current={one.id === chosen.id}
                    onClick={() => put({ picture: String(one.id) })}
                  >
                    {one.name}
                  </button>
                </li>
              ))}
            </ul>
          </>
        }
      />
      <div className="grid grid-cols-2 gap-10 p-5">
        <OnMaterials picture={chosen} />
        <div>
          <LightMatch key={`light ${chosen.id}`} move={move.id} picture={chosen} job={move.job ?? null} />
          <MaterialNumbers
            key={`material ${chosen.id}`}
            move={move.id}
            picture={chosen}
            inputs={all.data.inputs}
            job={move.job ?? null}
          />
        </div>
      </div>
    </div>
  );
}

/** The picture beside one side, or all by itself while it was not held yet. */
function HeldBooth({ move, picture, side }: { move: number; picture: OwnPicture; side: React.ReactNode }) {
  const [beside, setBeside] = useState<Beside>(picture.of);
  const [pixel, setPixel] = useState<OwnPixel | null>(null);
  const held = picture.held;
  const read = async (x: number, y: number) => {
    const found = await ownPixel(move, picture.id, x, y);
    setPixel(found);
    const at = beside === "reference" ? 0 : 1;
    return {
      x,
      y,
      linear: [[], found.linear[at]!],
      srgb: [found.mine, found.srgb[at]!],
      delta_e: found.delta_e[at]!,
    };
  };
  if (!held)
    return (
      <div className="grid grid-cols-[minmax(0,1fr)_420px] gap-2.5 bg-booth p-3.5">
        <img src={pictures.blob(picture.shown)} alt={picture.name} className="w-full self-start" />
        <div className="self-start bg-base-100 p-3 text-base-content">{side}</div>
      </div>
    );
  return (
    <Booth
      pictures={{
        reference: picture.pictures.mine,
        arrival: picture.pictures[beside],
        difference: picture.pictures[`to_${beside}`],
      }}
      labels={{
        reference: picture.name,
        arrival: `ΔE ${held[beside].value.toFixed(1)} off your picture`,
      }}
      names={{ reference: "mine", arrival: SIDE_WORDS[beside] }}
      aspect={held.width / held.height}
      reading={{ width: held.width, height: held.height, ask: read }}
      beside={
        <div className="bg-base-100 p-3 text-base-content">
          <div role="group" aria-label="Held against" className="flex gap-1.5">
            {(["reference", "arrival"] as const).map((one) => (
              <button
                key={one}
                className="press flex-1"
                aria-pressed={beside === one}
                onClick={() => setBeside(one)}
              >
                {SIDE_WORDS[one]} <b className="ml-1 font-mono">{held[one].value.toFixed(1)}</b>
              </button>
            ))}
          </div>
          <p className="mt-2 text-soft">
            {SIDE_WORDS.reference} and {SIDE_WORDS.arrival} lie {held.between.toFixed(1)} apart, shown like
            your picture.
          </p>
          <Three pixel={pixel} />
          {side}
        </div>
      }
    />
  );
}

/** One pixel of all three. */
function Three({ pixel }: { pixel: OwnPixel | null }) {
  if (!pixel) return <p className="mt-2 text-[12px] text-soft">Point at a picture to read all three.</p>;
  const rows = [
    ["mine", pixel.mine, null],
    ["reference", pixel.srgb[0]!, pixel.delta_e[0]!],
    ["arrival", pixel.srgb[1]!, pixel.delta_e[1]!],
  ] as const;
  return (
    <table className="mt-2 w-full font-mono text-[12px]" aria-label="Pixel on all three">
      <tbody>
        {rows.map(([name, codes, off]) => (
          <tr key={name}>
            <th scope="row" className="text-left font-normal">
              <span
                aria-hidden
                className="mr-1.5 inline-block h-3 w-3 border border-base-content align-middle"
                style={{ background: `rgb(${codes.join(" ")})` }}
              />
              {name}
            </th>
            <td className="text-right">{codes.join(" ")}</td>
            <td className="w-16 text-right">
              {off === null ? `${pixel.x}, ${pixel.y}` : `ΔE ${off.toFixed(1)}`}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
