import type { ReactNode } from "react";

import { pictures as addresses, type ProofRow } from "../../api/client";
import type { Figures, ViewFigures } from "./figures";

/** What was measured: the figure the verdict speaks of, what it is made of, and of which view. */
export function Figure({
  proof,
  view,
  onView,
  children,
}: {
  proof: ProofRow;
  view: ViewFigures;
  onView: (name: string) => void;
  /** What stands beside it: how to ask for another. */
  children: ReactNode;
}) {
  const figures = proof.figures;
  return (
    <section
      aria-label="Figure"
      className="flex min-h-0 flex-wrap content-start gap-x-8 gap-y-4 overflow-y-auto bg-base-100 p-3.5"
    >
      <div className="min-w-[240px] flex-1">
        <p className="tight text-[58px] leading-none font-bold" data-testid="mean">
          ΔE {(figures.judged ?? figures.mean).toFixed(1)}
        </p>
        <p className="mt-1 text-[15px]">
          {figures.verdict}
          {figures.at_least && figures.at_least !== figures.verdict && (
            <span className="text-soft">, or {figures.at_least}: more samples would tell</span>
          )}
        </p>
        <Headline figures={figures} words={proof.words} />
        {figures.asked_within != null && figures.within != null && (
          <p className="mt-1 text-[12px]">
            {figures.known_as_asked
              ? `The subject is known to ± ${figures.within.toFixed(2)}, as was asked (± ${figures.asked_within}).`
              : `The subject is known to ± ${figures.within.toFixed(2)}; ± ${figures.asked_within} was asked, and would take more time or samples.`}
          </p>
        )}
        {figures.refined && figures.within != null && (
          <p className="mt-1 text-[12px]" data-testid="refined">
            Drawn further while nothing else waited: the subject is known to ± {figures.within.toFixed(2)}{" "}
            now.
          </p>
        )}
        {(figures.effects ?? []).length > 0 && (
          <p className="mt-1 text-[12px]">The arrival is seen through {figures.effects!.join(", ")}.</p>
        )}
        {figures.views.length > 1 && (
          <select
            className="field mt-2 max-w-full"
            aria-label="View shown"
            value={view.name}
            onChange={(event) => onView(event.target.value)}
          >
            {figures.views.map((one) => (
              <option key={one.name} value={one.name}>
                {one.name}, ΔE {(one.judged ?? one.mean).toFixed(1)}
                {one.name === figures.worst_view ? ", worst" : ""}
              </option>
            ))}
          </select>
        )}
        <dl className="mt-3 grid grid-cols-[1fr_auto] gap-y-1 font-mono text-[12px]">
          <dt>95 % below</dt>
          <dd>{view.p95.toFixed(1)}</dd>
          <dt>noise</dt>
          <dd>{view.noise.toFixed(2)}</dd>
          {view.flip != null && (
            <>
              <dt title="what is noticed when the pictures are flicked, 0 to 1">FLIP</dt>
              <dd>{view.flip.toFixed(3)}</dd>
              <dt title="likeness of structure, 1 is the same">SSIM</dt>
              <dd>{view.ssim?.toFixed(3)}</dd>
            </>
          )}
          <dt>exposure</dt>
          <dd>EV {view.ev100.toFixed(1)}</dd>
        </dl>
        {!proof.current && (
          <p className="mt-3 border-l-[3px] border-primary pl-2">The plan has changed since. Prove again.</p>
        )}
        {proof.earlier && (
          <p className="mt-3 border-l-[3px] border-primary pl-2">
            An earlier version of Trasloco made this proof. “Prove” makes it with this one.
          </p>
        )}
      </div>
      <div className="min-w-[230px] flex-1">{children}</div>
    </section>
  );
}

/** The pictures and their values as files. */
export function Saving({ proof, view }: { proof: number; view: string }) {
  return (
    <p className="mt-3 text-[12px] text-soft">
      Save{" "}
      {[
        ["reference", "reference"],
        ["arrival", "arrival"],
        ["difference", "difference"],
        ["reference_exr", "reference EXR"],
        ["arrival_exr", "arrival EXR"],
      ].map(([side, words], at) => (
        <span key={side}>
          {at > 0 && ", "}
          <a className="underline" href={addresses.proof(proof, view, side!)} download>
            {words}
          </a>
        </span>
      ))}
    </p>
  );
}

/** Whole frame, subject and worst material, each with its figure: a large frame must not hide what is seen at once. */
function Headline({ figures, words }: { figures: Figures; words: ProofRow["words"] }) {
  if (!figures.subject || !figures.frame) return null;
  const rows = [
    ["frame", "whole frame", figures.frame],
    ["subject", "the subject", figures.subject],
    ...(figures.worst_material
      ? [["worst_material", figures.worst_material.name, figures.worst_material] as const]
      : []),
  ] as const;
  return (
    <>
      <dl className="mt-2 grid grid-cols-[1fr_auto_auto] gap-x-2 gap-y-0.5" aria-label="Figures">
        {rows.map(([key, name, figure]) => (
          <div key={key} className="contents">
            <dt
              className="truncate"
              title={
                key === "worst_material"
                  ? `worst material, ${(figure.cover * 100).toFixed(2)} % of the frame`
                  : undefined
              }
            >
              {name}
              <span className="block text-[12px] text-soft">{words[key] ?? ""}</span>
            </dt>
            <dd className="text-right font-mono">{figure.value.toFixed(1)}</dd>
            <dd
              className="text-right font-mono text-[12px] text-soft"
              title="within which it lies, noise taken off"
            >
              {figure.low.toFixed(1)}–{figure.high.toFixed(1)}
            </dd>
          </div>
        ))}
      </dl>
      {figures.stand_in && (
        <p className="mt-2 border-l-[3px] border-primary pl-2">
          Nothing lights this scene. Both sides are seen in a stand-in light.
        </p>
      )}
      {(figures.dark ?? []).length > 0 && (
        <p className="mt-2 text-[12px]">
          No light reaches {figures.dark!.join(", ")}: nothing can be judged there.
        </p>
      )}
      {(figures.unseen ?? []).length > 0 && (
        <details className="mt-2 text-[12px]">
          <summary className="underline">What the pictures cannot show ({figures.unseen!.length})</summary>
          <ul className="mt-1">
            {figures.unseen!.map((one) => (
              <li key={one}>{one}</li>
            ))}
          </ul>
        </details>
      )}
    </>
  );
}
