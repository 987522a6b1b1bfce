import { useState } from "react";

import { type Job, pictures } from "../../api/client";
import { isRunning } from "../../api/hooks";

/** One side of a view drawn by itself, on its way or done, to be looked at and saved. */
export function OneSide({ job, onClose }: { job: Job; onClose: () => void }) {
  const [whole, setWhole] = useState(false);
  const drawn = job.result.drawn;
  const early = Object.values(job.result.pictures ?? {})[0];
  const shown = drawn?.png ?? (early && Object.values(early)[0]);
  const file = drawn ? `${drawn.view}-${drawn.side}`.replaceAll(/[^A-Za-z0-9._-]+/g, "-") : "";
  return (
    <section aria-label="One side" className="bg-booth p-3.5">
      <div className="mb-2 flex flex-wrap items-center gap-1.5">
        {!isRunning(job) && (
          <button className="plate cursor-pointer font-semibold" onClick={onClose}>
            Back to the proof
          </button>
        )}
        {drawn && (
          <>
            <span className="plate">
              {drawn.side}, {drawn.view} ·{" "}
              <span className="font-mono">
                {drawn.width} × {drawn.height}
              </span>{" "}
              · {drawn.samples} spp · EV {drawn.ev100.toFixed(1)}
            </span>
            <button className="plate cursor-pointer" aria-pressed={whole} onClick={() => setWhole(!whole)}>
              {whole ? "fit to the page" : "pixel by pixel"}
            </button>
            <a className="plate underline" href={pictures.blob(drawn.png)} download={`${file}.png`}>
              Save as PNG
            </a>
            <a className="plate underline" href={pictures.blob(drawn.exr)} download={`${file}.exr`}>
              Save as EXR, in nit
            </a>
          </>
        )}
        {isRunning(job) && <span className="plate">{job.message || "Preparing the picture…"}</span>}
      </div>
      {shown && (
        <div className="overflow-auto">
          <img
            src={pictures.blob(shown)}
            alt={drawn ? `${drawn.view}, ${drawn.side}` : "so far"}
            className={whole ? "max-w-none" : "mx-auto block max-h-[calc(100vh-170px)] max-w-full"}
          />
        </div>
      )}
    </section>
  );
}
