import { useCallback, useState } from "react";
import { useSearchParams } from "react-router";

import {
  type Crossing,
  type Fit,
  type Material,
  type MaterialInput,
  type Move,
  pictures,
} from "../../api/client";
import { Mark } from "../../ui/Mark";
import { Notice } from "../../ui/Notice";
import { AddInput } from "./AddInput";
import { CrossingEditor } from "./CrossingEditor";
import { DeliveredImages } from "./DeliveredImages";
import { InventRelief } from "./InventRelief";
import { LeftOut } from "./LeftOut";
import { ShelfPanel } from "./ShelfPanel";
import { Sides } from "./Sides";
import { useDropImage } from "./useDropImage";
import { WhoWears } from "./WhoWears";

const capital = (text: string) => text.replace(/^./, (c) => c.toUpperCase());

function valueText(numbers: readonly (number | null)[]): string {
  return numbers.map((v) => (v === null ? "∞" : Number(v.toFixed(3)).toString())).join(" ");
}

function sourceText(input: MaterialInput): string {
  if (!input.image) return valueText(input.factor);
  return `${input.file ?? "missing"}${input.channels && input.channels !== "rgb" && input.channels !== "r" ? ` · ${input.channels.toUpperCase()}` : ""}`;
}

/** The crossings of one material, read from left to right like a timetable. A row opens to be changed in place. */
export function Crossings({
  move,
  fit,
  material,
  onNearest,
}: {
  move: Move;
  fit: Fit;
  material: Material;
  /** Opens its nearest look, where something of its look is lost. */
  onNearest: (() => void) | undefined;
}) {
  const [params] = useSearchParams();
  const [open, setOpen] = useState<string | null>(params.get("crossing"));
  const [shelf, setShelf] = useState(false);
  const [wearing, setWearing] = useState(false);
  const closeWearing = useCallback(() => setWearing(false), []);
  const crossings = fit.crossings.filter((crossing) => crossing.material === material.id);
  const images = fit.images.filter((image) => image.materials.includes(material.id));
  return (
    <section aria-label={`Crossings of ${material.name}`} className="flex min-w-0 flex-1 flex-col">
      <div className="px-[18px] pt-4 pb-3">
        <div className="flex items-start justify-between gap-3">
          <h1>{material.name}</h1>
          <span className="flex shrink-0 gap-2">
            {onNearest && (
              <button className="press" onClick={onNearest}>
                Nearest look
              </button>
            )}
            <button className="press" aria-expanded={wearing} onClick={() => setWearing(!wearing)}>
              Put it on parts
            </button>
            <button className="press" aria-expanded={shelf} onClick={() => setShelf(!shelf)}>
              From the shelf
            </button>
          </span>
        </div>
        <p className="text-soft">
          {material.parts} part{material.parts === 1 ? "" : "s"}
          {fit.geometry.length > 0 && (
            <>
              {" "}
              ·{" "}
              {fit.geometry
                .filter((text) => !text.includes(": ") || text.startsWith(`${material.name}: `))
                .join(", ")}
            </>
          )}
        </p>
        <Sides move={move.id} fit={fit} material={material} />
      </div>
      {wearing && <WhoWears move={move.id} fit={fit} material={material} onClose={closeWearing} />}
      {shelf && <ShelfPanel move={move.id} material={material} onDone={() => setShelf(false)} />}
      <div className="min-h-0 flex-1 overflow-y-auto px-[18px]">
        <table className="w-full table-fixed border-collapse">
          <thead>
            <tr className="border-b border-base-300 text-left text-soft">
              <th className="w-[31%] py-1.5 font-normal">From {capital(move.source)}</th>
              <th className="py-1.5 text-center font-normal">on the way</th>
              <th className="w-[31%] py-1.5 font-normal">Arrives in {capital(move.destination)}</th>
              <th className="w-[74px] py-1.5 text-right font-normal">carried</th>
            </tr>
          </thead>
          {crossings.map((crossing) => (
            <Row
              key={crossing.id}
              move={move}
              fit={fit}
              crossing={crossing}
              open={open === crossing.id}
              onToggle={() => setOpen(open === crossing.id ? null : crossing.id)}
            />
          ))}
        </table>
        <AddInput key={material.id} move={move.id} fit={fit} material={material} />
        <InventRelief move={move.id} material={material} />
        <LeftOut move={move.id} material={material} />
      </div>
      <DeliveredImages move={move.id} fit={fit} images={images} />
    </section>
  );
}

function Row({
  move,
  fit,
  crossing,
  open,
  onToggle,
}: {
  move: Move;
  fit: Fit;
  crossing: Crossing;
  open: boolean;
  onToggle: () => void;
}) {
  const lands = crossing.lands;
  const missing = crossing.mark === "blocked";
  const drop = useDropImage(move, crossing);
  const [over, setOver] = useState(false);
  const set = fit.images.find((image) => image.path === lands.image)?.set;
  return (
    <tbody>
      <tr
        className={`h-[54px] cursor-pointer border-b border-base-300 align-middle hover:bg-base-100 ${open ? "bg-base-100" : ""} ${over ? "outline-2 -outline-offset-2 outline-primary" : ""}`}
        onClick={onToggle}
        onDragOver={(event) => {
          event.preventDefault();
          event.stopPropagation();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={(event) => {
          event.preventDefault();
          event.stopPropagation();
          setOver(false);
          void drop.take(event.dataTransfer);
        }}
      >
        <td>
          <div className="flex items-center gap-2">
            {missing ? (
              <span className="hatch h-[42px] w-[42px] shrink-0 border border-base-300" />
            ) : (
              <img
                src={pictures.input(move.id, crossing.material, crossing.name, fit.version, 84)}
                alt=""
                loading="lazy"
                className="h-[42px] w-[42px] shrink-0 border border-base-300 bg-booth object-cover"
              />
            )}
            <span className="min-w-0">
              <span className="block truncate font-semibold">{crossing.label}</span>
              <span
                className="tight block truncate font-mono text-[12px] text-soft"
                title={crossing.given.file ?? ""}
              >
                {sourceText(crossing.given)}
              </span>
            </span>
          </div>
        </td>
        <td className="px-1 text-center leading-snug">
          <button
            className="text-center hover:underline"
            aria-expanded={open}
            onClick={(event) => (event.stopPropagation(), onToggle())}
          >
            <span className="sr-only">Change {crossing.label}: </span>
            {crossing.steps.length === 0 && (
              <span className="text-soft">{lands.input ? "as it is" : crossing.reason}</span>
            )}
            {crossing.steps.map((step, at) => (
              <span key={at}>
                {at > 0 && <span className="text-soft">, then </span>}
                {step.text}
              </span>
            ))}
          </button>
        </td>
        <td>
          <div className="flex items-center gap-2">
            {lands.input ? (
              <img
                src={pictures.crossing(move.id, crossing.id, fit.version)}
                alt=""
                loading="lazy"
                className="h-[42px] w-[42px] shrink-0 border border-base-300 bg-booth object-cover"
              />
            ) : (
              <span className="hatch-soft h-[42px] w-[42px] shrink-0 border border-base-300" />
            )}
            <span className="min-w-0">
              <span className="block truncate font-semibold">
                {lands.input ?? (missing ? "waits for you" : "no such input")}
              </span>
              <span
                className="tight block truncate font-mono text-[12px] text-soft"
                title={lands.image ?? ""}
              >
                {lands.image
                  ? `${set ?? ""}${lands.channel && lands.channel !== "rgb" ? ` · ${lands.channel.toUpperCase()}` : ""}`
                  : valueText(lands.value)}
              </span>
            </span>
          </div>
        </td>
        <td>
          <span className="flex items-center justify-end gap-2" title={crossing.reason}>
            {crossing.mark} <Mark mark={crossing.mark} />
          </span>
        </td>
      </tr>
      {(drop.busy || drop.error) && (
        <tr>
          <td colSpan={4} className="py-2" role="status">
            {drop.busy && <span className="text-soft">Taking the image in…</span>}
            {drop.error && <Notice error={drop.error} />}
          </td>
        </tr>
      )}
      {open && (
        <tr className="border-b border-base-300 bg-base-100">
          <td colSpan={4} className="p-3">
            <CrossingEditor key={crossing.id} move={move.id} crossing={crossing} fit={fit} />
          </td>
        </tr>
      )}
    </tbody>
  );
}
