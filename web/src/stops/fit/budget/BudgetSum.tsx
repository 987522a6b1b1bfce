import type { Budget, Move } from "../../../api/client";
import { StartJob } from "../../../ui/StartJob";
import { told } from "./told";

/** The jobs that measure. */
export const KINDS = ["budget"];

/** What the choice comes to, as reckoned and as measured, and the press that takes it. */
export function BudgetSum({
  move,
  found,
  limited,
  busy,
  onTake,
  onTry,
}: {
  move: Move;
  found: NonNullable<Budget["found"]>;
  limited: boolean;
  busy: boolean;
  onTake: () => void;
  onTry: () => void;
}) {
  const open = found.decisions.length;
  return (
    <>
      <p>
        <b className="tight text-[26px] leading-none">ΔE {found.loss.toFixed(2)}</b> lost over the frame
      </p>
      <p className="mt-1 text-soft">
        {told("memory", found.then.memory)} of images, {told("download", found.then.download)} to download,{" "}
        {told("triangles", found.then.triangles)} triangles, {told("draws", found.then.draws)} draw calls
        {found.now.bake > 0 && `, ${told("bake", found.then.bake)} to bake`}
      </p>
      {found.tried && (
        <p className="mt-2">
          Measured as a whole: ΔE {found.tried.loss.toFixed(2)}, give or take {found.tried.unsure.toFixed(2)};{" "}
          {told("download", found.tried.taken.download)} to download.
        </p>
      )}
      <p className="mt-3 flex flex-wrap gap-2">
        <button className="press press-main" disabled={open === 0 || busy} onClick={onTake}>
          {open > 0 && found.changes.length === 0
            ? `Lift ${open} limit${open === 1 ? "" : "s"}`
            : `Take ${found.changes.length} change${found.changes.length === 1 ? "" : "s"}`}
        </button>
        {found.changes.length > 0 && !found.tried && (
          <StartJob move={move} kinds={KINDS} words="Measure it as a whole" onStart={onTry} />
        )}
      </p>
      {open === 0 && found.changes.length > 0 && <p className="mt-2 text-soft">It is taken.</p>}
      {!limited && found.changes.length === 0 && (
        <p className="mt-2 text-soft">Set a limit to see what loses least within it.</p>
      )}
      <p className="mt-3 text-[12px] text-soft">
        {found.choices} choices of {found.items} images and meshes, measured in {found.views.join(" and ")} on
        delivered bytes, each against the delivery without limits. What sampling hides counts as nothing lost.
      </p>
    </>
  );
}
