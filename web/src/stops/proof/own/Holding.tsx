import { type Job, type OwnPicture, type Proofs } from "../../../api/client";
import { deciding } from "../../../api/decisions";
import { useCancelJob, useDecide } from "../../../api/hooks";
import { useHoldOwnPicture, useRemoveOwnPicture, useSayOwnPicture } from "../../../api/ownPictures";
import { Choice } from "../../../ui/Choice";
import { when } from "../../../ui/format";
import { Notice } from "../../../ui/Notice";
import { Refusal } from "../../../ui/Refusal";

/** How a picture is held: which side it shows, how it was shown, where it was taken from; and how that went over time. */
export function Holding({
  move,
  picture,
  job,
  last,
  views,
  kept,
  curves,
  onPoints,
}: {
  move: number;
  picture: OwnPicture;
  job: Job | null;
  last: Job | null;
  views: string[];
  kept: Proofs["kept"];
  curves: string[];
  onPoints: () => void;
}) {
  const say = useSayOwnPicture(move);
  const hold = useHoldOwnPicture(move);
  const remove = useRemoveOwnPicture(move);
  const cancel = useCancelJob(move);
  const decide = useDecide(move);
  const problem = say.error ?? hold.error ?? remove.error ?? decide.error;
  const camera = picture.stands;
  const named = kept.some((view) => view.name === picture.name);
  return (
    <section aria-label="Hold it" className="mt-3">
      <div className="flex items-baseline">
        <h2 className="flex-1">Hold it</h2>
        <button className="text-[12px] underline" onClick={() => remove.mutate(picture.id)}>
          remove {picture.name}
        </button>
      </div>
      <div className="mt-2 grid grid-cols-2 gap-2">
        <Choice
          label="It is a picture of"
          value={picture.of}
          options={[
            ["reference", "what was meant"],
            ["arrival", "what arrived"],
          ]}
          onChange={(of) => say.mutate({ picture: picture.id, said: { of: of as OwnPicture["of"] } })}
          wide="w-full"
        />
        <Choice
          label="Shown by"
          value={picture.curve}
          options={[["", "a curve to be found"], ...curves.map((one) => [one, one] as const)]}
          onChange={(curve) => say.mutate({ picture: picture.id, said: { curve } })}
          wide="w-full"
        />
      </div>
      {picture.camera ? (
        <p className="mt-2">
          Taken from where {picture.pairs.length} points say, {picture.camera.rms_px.toFixed(1)} px off.{" "}
          <button className="underline" onClick={onPoints}>
            Look at the points
          </button>
        </p>
      ) : (
        <div className="mt-2 flex items-end gap-2">
          <div className="min-w-0 flex-1">
            <Choice
              label="Taken from about"
              value={picture.view}
              options={views.map((one) => [one, one] as const)}
              onChange={(view) => say.mutate({ picture: picture.id, said: { view } })}
              wide="w-full"
            />
          </div>
          <button className="press" onClick={onPoints}>
            Press points instead
          </button>
        </div>
      )}
      {problem && <Notice error={problem} />}
      <Refusal job={last} kind="hold" />
      {job ? (
        <p role="status" className="mt-3 flex items-center gap-2">
          <span className="flex-1 text-soft">
            {Math.round(job.fraction * 100)} %: {job.message || "delivering and reading back"}…
          </span>
          <button className="press" onClick={() => cancel.mutate(job.id)}>
            Stop
          </button>
        </p>
      ) : (
        <button className="press press-main mt-3 w-full" onClick={() => hold.mutate(picture.id)}>
          {picture.held ? "Hold it again" : "Find its camera and hold it"}
        </button>
      )}
      {picture.held && <Found picture={picture} />}
      {camera && picture.held?.lies && (
        <button
          className="press mt-2"
          disabled={named}
          onClick={() =>
            decide.mutate([
              deciding("proof", "views", [
                ...kept,
                {
                  name: picture.name.slice(0, 80),
                  matrix: camera.matrix,
                  yfov_rad: camera.yfov_rad,
                  shift: camera.shift,
                  aspect: picture.width / picture.height,
                },
              ]),
            ])
          }
        >
          {named ? "Its camera is kept for proofs" : "Keep its camera for proofs"}
        </button>
      )}
      <OverTime picture={picture} />
    </section>
  );
}

/** Where its camera was found, and how it seems to be shown. */
function Found({ picture }: { picture: OwnPicture }) {
  const held = picture.held!;
  return (
    <>
      {!picture.current && <p className="mt-2 text-soft">What is delivered has changed since.</p>}
      {held.how === "found" && (
        <p className="mt-2">
          Its camera was found: {held.found_again} places of the scene lie {held.off_px.toFixed(1)} px off.
        </p>
      )}
      {held.how === "view" && (
        <p className="mt-2 border-l-[3px] border-primary pl-2">
          Its camera was not found from there.{" "}
          {held.lies
            ? `It was laid over the view, enlarged ${held.scale.toFixed(2)} times: what is near and far does not fit.`
            : "It lies as it is. Choose another view, or press points."}
        </p>
      )}
      <p className="mt-2 text-soft">
        It is shown as if by “{held.curve}”, {held.stops >= 0 ? "+" : ""}
        {held.stops.toFixed(1)} stops.
      </p>
    </>
  );
}

function OverTime({ picture }: { picture: OwnPicture }) {
  const times = picture.over_time.slice(-6).reverse();
  if (times.length < 2) return null;
  return (
    <table className="mt-3 w-full" aria-label="Over time">
      <thead>
        <tr className="text-left text-[12px] text-soft">
          <th className="font-normal">held</th>
          <th className="text-right font-normal">reference</th>
          <th className="text-right font-normal">arrival</th>
        </tr>
      </thead>
      <tbody>
        {times.map((one) => (
          <tr key={one.at} className="border-t border-base-300">
            <td>{when(one.at)}</td>
            <td className="text-right font-mono">{one.reference.toFixed(1)}</td>
            <td className="text-right font-mono">{one.arrival.toFixed(1)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
