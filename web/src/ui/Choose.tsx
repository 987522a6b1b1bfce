/** A choice that acts at once and shows nothing as chosen. */
export function Choose({
  label,
  options,
  onPick,
}: {
  label: string;
  options: [string, string][];
  onPick: (id: string) => void;
}) {
  return (
    <select
      className="field max-w-[190px]"
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
