import { deciding, type ValueOf } from "../../api/decisions";
import { usePaint } from "../../api/facts";
import { useDecide } from "../../api/hooks";
import { Choice } from "../../ui/Choice";
import { Notice } from "../../ui/Notice";

const NAMES: Record<string, string> = {
  paint: "paint",
  tint: "a tint left behind",
  ID: "IDs",
  "baked light": "baked light",
  mask: "a mask",
  white: "white",
};

/** What the vertex colours of a material are, with the evidence, and how they travel. */
export function PaintChoice({
  move,
  material,
  hasImage,
}: {
  move: number;
  material: string;
  hasImage: boolean;
}) {
  const paint = usePaint(move, material, true);
  const decide = useDecide(move);
  if (!paint.data || (paint.data.kind === null && paint.data.loss_as_colors === null)) return null;
  const { kind, sure, evidence, flat, chosen, loss_as_colors: loss } = paint.data;
  const choices: [string, string][] = [
    ["", "as the destination needs"],
    ...(kind !== null
      ? ([
          ["keep", "in the mesh"],
          ["atlas", "as an image of its own"],
          ...(flat && !hasImage ? ([["palette", "as a palette"]] as [string, string][]) : []),
          ["remove", "taken away"],
        ] as [string, string][])
      : []),
    ...(loss !== null || chosen === "from image"
      ? ([["from image", "made from its image"]] as [string, string][])
      : []),
  ];
  return (
    <div className="mt-3 flex flex-wrap items-end gap-3">
      <Choice
        label="Vertex colours travel"
        value={chosen ?? ""}
        options={choices}
        disabled={decide.isPending}
        onChange={(value) =>
          decide.mutate([deciding(material, "paint", (value || null) as ValueOf<"paint">)])
        }
      />
      <p className="min-w-0 flex-1 text-[12px] text-soft">
        {kind !== null && (
          <>
            They look like <b className="text-base-content">{NAMES[kind] ?? kind}</b> (
            {Math.round(100 * sure)} % sure): {evidence}.{" "}
          </>
        )}
        {loss !== null && `Made from its image they would differ by ΔE ${loss.toFixed(1)} on average.`}
      </p>
      {decide.error && <Notice error={decide.error} />}
    </div>
  );
}
