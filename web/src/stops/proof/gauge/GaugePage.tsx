import { type Gauge, type Move } from "../../../api/client";
import { useGauge, useMakeGauge, useReadGauge } from "../../../api/gauge";
import { useAfter } from "../../../api/hooks";
import { Notice, Waiting } from "../../../ui/Notice";
import { StartJob } from "../../../ui/StartJob";
import { useShownMove } from "../../MoveShell";
import { Boards } from "./Boards";
import { CurvePlot } from "./CurvePlot";
import { Keeping } from "./Keeping";
import { Numbers } from "./Numbers";
import { Readings } from "./Readings";
import { Rod } from "./Rod";

const KINDS = ["gauge", "read gauge"];

/** The destination measured: boards handed over, pictures of them brought back, and what these tell of every line. */
export function GaugePage() {
  const move = useShownMove();
  const gauge = useGauge(move.id);
  const make = useMakeGauge(move.id);
  useAfter(move.job, KINDS, gauge.refetch);
  if (gauge.isPending) return <Waiting text="Looking for the gauge…" />;
  if (gauge.error) return <Notice error={gauge.error} onRetry={() => void gauge.refetch()} />;
  if (!gauge.data)
    return (
      <div className="p-8">
        <h1>Measure the destination</h1>
        <p className="mt-1 max-w-xl text-soft">
          Four boards of our own, in the layout of {move.destination}: known greys, colours, images, materials
          and lamps. Import them where your move goes, bring back one picture of each, and every line of the
          sheet is told from what is seen there.
        </p>
        <div className="mt-4">
          <StartJob kinds={KINDS} move={move} words="Write the boards" onStart={() => make.mutate()} main />
        </div>
        {make.error && <Notice error={make.error} />}
      </div>
    );
  return <Made move={move} gauge={gauge.data} />;
}

function Made({ move, gauge }: { move: Move; gauge: Gauge }) {
  const make = useMakeGauge(move.id);
  const read = useReadGauge(move.id);
  const given = gauge.boards.some((board) => board.shown);
  const found = gauge.found;
  return (
    <div className="grid h-full grid-cols-[360px_minmax(0,1fr)] overflow-hidden">
      <aside aria-label="Boards" className="overflow-y-auto border-r border-base-300 p-4">
        <h1>The gauge</h1>
        <p className="text-soft">
          In the layout of {gauge.sheet}.{" "}
          <a className="text-base-content underline" href={`/api/moves/${move.id}/gauge.zip`} download>
            Save the boards
          </a>
        </p>
        {!gauge.current && (
          <p className="mt-2 border-l-[3px] border-primary pl-2">
            The destination's sheet is another by now.{" "}
            <button className="underline" onClick={() => make.mutate()}>
              Write the boards anew
            </button>
          </p>
        )}
        <div className="mt-3">
          <StartJob
            kinds={KINDS}
            move={move}
            words={found ? "Read the pictures again" : "Read the pictures"}
            disabled={!given}
            onStart={() => read.mutate()}
            main={!found || gauge.stale}
          />
          {!given && <p className="mt-1 text-[12px] text-soft">Bring back a picture of a board first.</p>}
        </div>
        {(make.error ?? read.error) && <Notice error={make.error ?? read.error} />}
        <details className="mt-3 text-[12px]" open={!given}>
          <summary className="cursor-pointer text-soft">How the pictures are taken</summary>
          <ul className="mt-1 list-disc pl-4">
            {gauge.at_all.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ul>
        </details>
        <Boards move={move.id} boards={gauge.boards} found={found} />
        <Rod
          key={`${gauge.rod?.length ?? ""} ${gauge.rod?.unit ?? ""}`}
          move={move.id}
          rod={gauge.rod ?? null}
        />
      </aside>
      <section aria-label="What they tell" className="overflow-y-auto p-5">
        {found ? (
          <>
            {gauge.stale && (
              <p className="mb-3 border-l-[3px] border-primary pl-2">
                Pictures, or the rod, have changed since they were read.
              </p>
            )}
            {found.doubts.map((doubt) => (
              <p key={doubt} role="alert" className="mb-2 border-l-[3px] border-primary pl-2">
                {doubt}
              </p>
            ))}
            <div className="grid grid-cols-2 gap-8">
              <CurvePlot curve={found.curve} />
              <Numbers found={found} />
            </div>
            <Keeping move={move} gauge={gauge} />
            <Readings lines={found.lines} evidence={gauge.evidence} />
          </>
        ) : (
          <div className="max-w-xl">
            <h2>Nothing read yet</h2>
            <p className="mt-1 text-soft">
              Each board tells lines of its own; what has no picture stays as the sheet says it. The marks of
              a board are looked for first, then how light is shown, then each line by the props that show it.
            </p>
          </div>
        )}
      </section>
    </div>
  );
}
