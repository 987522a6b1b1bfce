import { useState } from "react";

import { type Decision, type Job, type MatchedLight, type OwnPicture, pictures } from "../../../api/client";
import { isRunning, useDecide } from "../../../api/hooks";
import { useMatchLight } from "../../../api/ownPictures";
import { Choice } from "../../../ui/Choice";
import { Notice } from "../../../ui/Notice";
import { Refusal } from "../../../ui/Refusal";
import { Lens } from "./Lens";

const percent = (share: number) => (share >= 0.001 ? `${(share * 100).toFixed(1)} %` : "< 0.1 %");
const strength = (value: number) => Number(value.toPrecision(3)).toString();

/** Light that explains the picture: how strong each lamp must be for the scene to look like it, taken over in one press. */
export function LightMatch({ move, picture, job }: { move: number; picture: OwnPicture; job: Job | null }) {
  const match = useMatchLight(move);
  const decide = useDecide(move);
  const [turn, setTurn] = useState(false);
  const [colors, setColors] = useState(false);
  const [fresh, setFresh] = useState(false);
  const [anchor, setAnchor] = useState("");
  const [left, setLeft] = useState<string[]>([]);
  const found = picture.matched;
  const busy = job !== null && isRunning(job);
  if (!picture.held?.lies)
    return (
      <section aria-label="Light">
        <h2>Light like in your picture</h2>
        <p className="mt-1 text-soft">
          Once the picture lies over the scene, the strength of every lamp is found from it.
        </p>
      </section>
    );
  return (
    <section aria-label="Light">
      <h2>Light like in your picture</h2>
      <p className="mt-1 text-soft">
        Each lamp is rendered alone through this camera; what they must be together to look like the picture
        is solved. Nothing is decided before you take it over.
      </p>
      <div className="mt-2 flex flex-wrap items-end gap-3">
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={turn} onChange={(event) => setTurn(event.target.checked)} />
          turn the surroundings
        </label>
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={colors} onChange={(event) => setColors(event.target.checked)} />
          colours too
        </label>
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={fresh} onChange={(event) => setFresh(event.target.checked)} />
          look for lamps that are missing
        </label>
        {found && (
          <Choice
            label="Stays as strong as it is"
            value={anchor}
            options={[
              ["", "what gives most light"],
              ...found.lamps.map((one) => [one.name, one.label] as const),
            ]}
            onChange={setAnchor}
          />
        )}
      </div>
      <details className="mt-2">
        <summary className="cursor-pointer">
          {left.length ? `${left.length} materials do not count` : "Materials that do not count"}
        </summary>
        <ul className="max-h-40 overflow-y-auto pl-3">
          {picture.held.materials.map((one) => (
            <li key={one.id}>
              <label className="flex items-center gap-1.5">
                <input
                  type="checkbox"
                  checked={left.includes(one.id)}
                  onChange={(event) =>
                    setLeft(event.target.checked ? [...left, one.id] : left.filter((id) => id !== one.id))
                  }
                />
                {one.name}
              </label>
            </li>
          ))}
        </ul>
      </details>
      <button
        className={`press mt-2 ${found ? "" : "press-main"}`}
        disabled={busy || match.isPending}
        onClick={() =>
          match.mutate({
            picture: picture.id,
            wanted: { turn, colors, anchor, leave_out: left, new_lamps: fresh },
          })
        }
      >
        {found ? "Match it again" : "Match the light"}
      </button>
      {(match.error ?? decide.error) && <Notice error={match.error ?? decide.error} />}
      <Refusal job={job} kind="match light" />
      {found && <Solved found={found} busy={decide.isPending} onTake={(all) => decide.mutate(all)} />}
      {decide.isSuccess && (
        <p role="status" className="mt-2">
          Taken over. Undo takes it back; hold the picture again to see how near it is now.
        </p>
      )}
    </section>
  );
}

function Solved({
  found,
  busy,
  onTake,
}: {
  found: MatchedLight;
  busy: boolean;
  onTake: (decisions: Decision[]) => void;
}) {
  const decisions = [...found.decisions, found.exposure] as Decision[];
  return (
    <>
      <figure className="relative mt-3">
        <img
          src={pictures.blob(found.picture)}
          alt="the scene in the matched light"
          className="w-full bg-booth"
        />
        <figcaption className="plate absolute bottom-0 left-0">
          in that light: ΔE {found.before.toFixed(1)} becomes {found.after.toFixed(1)}
        </figcaption>
      </figure>
      <table className="mt-2 w-full" aria-label="Lamps">
        <thead>
          <tr className="text-left text-[12px] text-soft">
            <th className="font-normal">lamp</th>
            <th className="pl-3 text-right font-normal whitespace-nowrap">of the light</th>
            <th className="pl-3 text-right font-normal whitespace-nowrap">is</th>
            <th className="pl-3 text-right font-normal whitespace-nowrap">becomes</th>
          </tr>
        </thead>
        <tbody>
          {found.lamps.map((lamp) => (
            <tr key={lamp.name} className="h-7 border-t border-base-300 align-top">
              <th scope="row" className="text-left font-normal">
                {lamp.label}
                {lamp.new && (
                  <span className="block text-[12px] text-soft">
                    takes ΔE {(lamp.takes_away ?? 0).toFixed(1)} away
                  </span>
                )}
                {lamp.doubt && <span className="block text-[12px] text-soft">not sure: {lamp.doubt}</span>}
              </th>
              <td className="pl-3 text-right font-mono text-[12px] whitespace-nowrap text-soft">
                {percent(lamp.share)}
              </td>
              <td className="pl-3 text-right font-mono whitespace-nowrap">
                {lamp.new ? (
                  <span className="text-[12px] text-soft">not there</span>
                ) : (
                  strength(lamp.strength)
                )}
              </td>
              <td
                className="pl-3 text-right font-mono whitespace-nowrap"
                title={lamp.new ? undefined : `× ${lamp.gain.toFixed(3)}`}
              >
                {lamp.becomes > 0 ? strength(lamp.becomes) : "off"}
                <span className="text-[12px] text-soft">
                  {" "}
                  ± {Number((lamp.unsure * lamp.strength).toPrecision(2))}
                </span>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-2 text-soft">
        {found.turned_deg !== null && `The surroundings lie ${found.turned_deg.toFixed(1)}° further round. `}
        {found.looked_for_new &&
          !found.lamps.some((lamp) => lamp.new) &&
          "No lamp is missing that would bring it clearly nearer. "}
        The picture was taken at {found.ev100.toFixed(1)} EV.
        {!found.current && " The scene has changed since."}
      </p>
      <button
        className="press press-main mt-2"
        disabled={busy || found.decisions.length === 0 || !found.current}
        onClick={() => onTake(decisions)}
      >
        Take over what is sure
      </button>
      {found.lens && (
        <Lens lens={found.lens} after={found.after} busy={busy || !found.current} onKeep={onTake} />
      )}
    </>
  );
}
