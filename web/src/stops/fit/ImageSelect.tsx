/** A choice of the delivery's images that can be read. */
export function ImageSelect({ label, none, images, value, onChange }: { label: string; none: string; images: { id: string; name: string }[]; value: string; onChange: (image: string) => void }) {
  return (
    <label className="block">
      <span className="block text-[12px] text-soft">{label}</span>
      <select className="field w-56 font-mono text-[12px]" value={value} onChange={(event) => onChange(event.target.value)}>
        <option value="">{none}</option>
        {images.map((image) => (
          <option key={image.id} value={image.id}>
            {image.name}
          </option>
        ))}
      </select>
    </label>
  );
}
