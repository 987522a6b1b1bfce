import type { PixelRead } from "../../api/client";

const number = (value: number) => (Math.abs(value) >= 100 ? value.toFixed(0) : value.toPrecision(3));

/** Light in nit; nothing of a picture whose light is not known. */
const lightOf = (pixel: PixelRead, at: number) =>
  pixel.linear[at]?.length ? `${pixel.linear[at].map(number).join(" ")} nit · ` : "";

/** The pixel under the pointer on both sides: light in nit, the codes that are shown, and how far apart they are. */
export function PixelPlate({
  pixel,
  called = (side) => side,
}: {
  pixel: PixelRead | null;
  /** What a side is called. */
  called?: (side: "reference" | "arrival") => string;
}) {
  if (!pixel) return <span className="plate text-[12px]">point at a picture to read its pixels</span>;
  return (
    <span className="plate flex gap-3 font-mono text-[12px] whitespace-nowrap" role="status">
      <span>
        {pixel.x}, {pixel.y}
      </span>
      {(["reference", "arrival"] as const).map((side, at) => (
        <span
          key={side}
          className="flex items-center gap-1.5"
          title={`${called(side)}: light in nit, and the sRGB codes shown`}
        >
          <span
            aria-hidden
            className="h-3 w-3 border border-[#22241f]"
            style={{ background: `rgb(${pixel.srgb[at]!.join(" ")})` }}
          />
          {lightOf(pixel, at)}
          {pixel.srgb[at]!.join(" ")}
        </span>
      ))}
      <b>ΔE {pixel.delta_e.toFixed(1)}</b>
    </span>
  );
}

/** The same for one picture: its own values, or under the difference how far apart both are. */
export function PixelSide({
  pixel,
  side,
}: {
  pixel: PixelRead;
  side: "reference" | "arrival" | "difference" | "flip";
}) {
  const at = side === "reference" ? 0 : 1;
  return (
    <span
      className="plate flex min-w-0 items-center gap-1.5 font-mono text-[12px] whitespace-nowrap"
      role="status"
    >
      {side === "difference" || side === "flip" ? (
        <>
          {pixel.x}, {pixel.y} <b>ΔE {pixel.delta_e.toFixed(1)}</b>
        </>
      ) : (
        <>
          <span
            aria-hidden
            className="h-3 w-3 shrink-0 border border-[#22241f]"
            style={{ background: `rgb(${pixel.srgb[at]!.join(" ")})` }}
          />
          <span className="truncate" title="light in nit, and the sRGB codes shown">
            {lightOf(pixel, at)}
            {pixel.srgb[at]!.join(" ")}
          </span>
        </>
      )}
    </span>
  );
}
