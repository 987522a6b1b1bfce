/** A choice that acts at once and shows nothing as chosen. */
export function Choose({
  label,
  options,
  onPick,
  wide = "max-w-[190px]",
}: {
  label: string;
  options: [string, string][];
  onPick: (id: string) => void;
  wide?: string;
}) {
  return (
    <select
      className={`field ${wide}`}
      aria-label={label}
      value="-"
      disabled={!options.length}
      onChange={(event) => onPick(event.target.value)}
    >
      <option value="-" disabled>
        {label}…
      </option>
      {options.map(([id, name]) => (
        <option key={id} value={id}>
          {name}
        </option>
      ))}
    </select>
  );
}
