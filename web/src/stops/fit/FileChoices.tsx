import type { Fit } from "../../api/client";
import { type Field, rangeOf, type ValueOf } from "../../api/decisions";
import { NumberField } from "../../ui/NumberField";

const SIDES = (rangeOf("largest_side").choices ?? []).map(Number).reverse();
/** What is chosen of a material's image files. */
interface Choosing<F extends Field> {
  fit: Fit;
  material: string;
  busy: boolean;
  onChange: (value: ValueOf<F>) => void;
}

export function SizeChoice({ fit, material, busy, onChange }: Choosing<"largest_side">) {
  const asked = fit.sizes[material];
  return (
    <select
      aria-label="Longest side of its images"
      className="field mt-1 text-[12px]"
      value={asked ?? ""}
      disabled={busy}
      onChange={(event) =>
        onChange(event.target.value ? (Number(event.target.value) as ValueOf<"largest_side">) : null)
      }
    >
      <option value="">as large as taken</option>
      {[...new Set([...SIDES, ...(asked ? [asked] : [])])]
        .sort((a, b) => b - a)
        .map((side) => (
          <option key={side} value={side}>
            at most {side}
          </option>
        ))}
    </select>
  );
}

/** As what kind of file a material's images are written, of those that the destination reads, and what they may lose by it. */
export function FileChoice({ fit, material, busy, onChange }: Choosing<"file_kind">) {
  const asked = fit.files[material] ?? null;
  const [own, ...others] = fit.kinds;
  const kinds = own?.loses ? fit.kinds : others;
  if (own === undefined || kinds.length === 0) return null;
  type Kind = NonNullable<ValueOf<"file_kind">>["kind"];
  return (
    <span className="inline-flex items-center gap-1.5">
      <select
        aria-label="Kind of its image files"
        title="JPEG has no see-through channel: images that need one stay as they are"
        className="field text-[12px] text-base-content"
        value={asked?.kind ?? ""}
        disabled={busy}
        onChange={(event) =>
          onChange(event.target.value ? { kind: event.target.value as Kind, loss: 0 } : null)
        }
      >
        <option value="">{own.name}, as it asks</option>
        {kinds.map(({ kind, name }) => (
          <option key={kind} value={kind}>
            as {name}
          </option>
        ))}
      </select>
      {asked !== null && fit.kinds.some(({ kind, loses }) => loses && kind === asked.kind) && (
        <>
          <span title="In the mean over texels, measured on the written file">may lose ΔE</span>
          <NumberField
            label="ΔE that its image files may lose"
            value={asked.loss || null}
            range={rangeOf("file_kind", "loss")}
            empty="usual"
            className="w-14"
            onSet={(loss) => onChange({ ...asked, loss: loss ?? 0 })}
          />
        </>
      )}
    </span>
  );
}
