import { NamedOptions } from "../../ui/NamedOptions";

/** A choice of the delivery's images that can be read. */
export function ImageSelect({
  label,
  name,
  none,
  images,
  value,
  onChange,
}: {
  /** What stands above it. */
  label: string;
  /** What it is called where nothing stands above it. */
  name?: string;
  none: string;
  images: { id: string; name: string }[];
  value: string;
  onChange: (image: string) => void;
}) {
  return (
    <label className="block">
      {label && <span className="block text-[12px] text-soft">{label}</span>}
      <select
        className="field w-56 font-mono text-[12px]"
        aria-label={name}
        value={value}
        onChange={(event) => onChange(event.target.value)}
      >
        <option value="">{none}</option>
        <NamedOptions of={images} />
      </select>
    </label>
  );
}
