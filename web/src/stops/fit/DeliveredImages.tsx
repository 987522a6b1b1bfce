import type { Fit, PlannedImage } from "../../api/client";
import { deciding, type ValueOf } from "../../api/decisions";
import { useDecide } from "../../api/hooks";
import { Notice } from "../../ui/Notice";
import { FileChoice } from "./FileChoices";

const mebibytes = (bytes: number) => `${(bytes / 2 ** 20).toFixed(bytes < 10 * 2 ** 20 ? 1 : 0)} MiB`;

/** Neighbouring channels that hold the same thing, as one. */
function runs(image: PlannedImage): { letters: string; holds: string }[] {
  const found: { letters: string; holds: string }[] = [];
  for (const { letter, holds } of image.channels) {
    const last = found.at(-1);
    if (last && last.holds === holds) last.letters += letter;
    else found.push({ letters: letter, holds });
  }
  return found.filter((run) => run.holds !== "—" || run.letters !== "A");
}

/** The image files a material delivers, with what each channel holds. */
export function DeliveredImages({ move, fit, images }: { move: number; fit: Fit; images: PlannedImage[] }) {
  const decide = useDecide(move);
  const sum = (list: PlannedImage[]) => list.reduce((total, image) => total + image.memory, 0);
  const material = images[0]?.materials[0] ?? "";
  const largest = Math.max(...images.map((image) => Math.max(image.width, image.height)));
  const smaller = images.filter((image) => Math.max(image.width, image.height) === largest);
  const saved = smaller.reduce((total, image) => total + image.saved, 0);
  const side = smaller[0]?.smaller_side ?? null;
  return (
    <div className="mx-[18px] border-t border-base-300 py-2.5">
      {images.length === 0 ? (
        <p className="text-soft">No image files: this material arrives as numbers.</p>
      ) : (
        <>
          <ul className="flex gap-3 overflow-x-auto" aria-label="Delivered images">
            {images.map((image) => (
              <li
                key={image.path}
                className="min-w-[172px] flex-1 border border-base-300 bg-base-100 px-2.5 py-2"
                title={image.path}
              >
                <p className="truncate font-semibold">{image.path.split("/").pop()}</p>
                <p className="tight truncate font-mono text-[12px] text-soft">
                  {image.width === image.height ? `${image.width}²` : `${image.width} × ${image.height}`},{" "}
                  {image.depth} bits, {image.encoding === "srgb" ? "sRGB" : "linear"}
                </p>
                <ol className="mt-2 flex gap-1">
                  {runs(image).map((run) => (
                    <li
                      key={run.letters}
                      style={{ flexGrow: run.letters.length }}
                      className="tight min-w-0 basis-0 truncate border-t border-base-content pt-0.5 text-[12px] text-soft"
                      title={`${run.letters}: ${run.holds}`}
                    >
                      <b className="text-base-content">{run.letters}</b> {run.holds}
                    </li>
                  ))}
                </ol>
              </li>
            ))}
          </ul>
          <p className="mt-2 flex flex-wrap items-center gap-x-3 gap-y-1 text-soft">
            <span title="Unpacked, four channels, with all smaller levels">
              In memory on arrival: <b className="text-base-content">{mebibytes(sum(images))}</b> of{" "}
              {mebibytes(sum(fit.images))} in all.
            </span>
            {side !== null && (
              <button
                className="press h-[22px] px-2"
                disabled={decide.isPending}
                onClick={() =>
                  decide.mutate([deciding(material, "largest_side", side as ValueOf<"largest_side">)])
                }
              >
                At most {side} a side: saves {mebibytes(saved)}
              </button>
            )}
            {fit.sizes[material] !== undefined && (
              <button
                className="press h-[22px] px-2"
                disabled={decide.isPending}
                onClick={() => decide.mutate([{ target: material, field: "largest_side", value: null }])}
              >
                As large as taken
              </button>
            )}
            <FileChoice
              fit={fit}
              material={material}
              busy={decide.isPending}
              onChange={(file) => decide.mutate([deciding(material, "file_kind", file)])}
            />
          </p>
          {decide.error && <Notice error={decide.error} />}
        </>
      )}
    </div>
  );
}
