import { Choice } from "../../ui/Choice";

/** A choice of the delivery's images that can be read. */
export function ImageSelect({
  label,
  none,
  images,
  value,
  onChange,
}: {
  label: string;
  none: string;
  images: { id: string; name: string }[];
  value: string;
  onChange: (image: string) => void;
}) {
  return (
    <Choice
      label={label}
      value={value}
      options={[["", none], ...images.map((image) => [image.id, image.name] as const)]}
      onChange={onChange}
      wide="w-56 font-mono text-[12px]"
    />
  );
}
