import { whole } from "../../../ui/format";
import { ASSUMED_TEXELS, DENSITY_ENDS } from "../../../view/lensNames";

/** What the shades of the density lens stand for. */
export function DensityScale() {
  const [few, many] = DENSITY_ENDS;
  const steps = Array.from({ length: (many - few) / 2 + 1 }, (_, k) => few + 2 * k);
  return (
    <span className="plate flex items-center gap-2">
      texels a metre
      <span className="flex">
        {steps.map((step) => (
          <span key={step} className="flex flex-col items-center px-1 font-mono text-[12px]">
            <span
              aria-hidden
              className="h-2 w-10 border border-base-content"
              style={{
                background: `color-mix(in srgb, #4d1721 ${((step - few) / (many - few)) * 100}%, #f5f2ed)`,
              }}
            />
            {whole(2 ** step)}
          </span>
        ))}
      </span>
      a line at every doubling; without an image as if with {ASSUMED_TEXELS}²
    </span>
  );
}
