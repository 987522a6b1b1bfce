/** A labelled choice of one thing out of several, each a value and its words. */
export function Choice({
  label,
  value,
  options,
  onChange,
  disabled,
  wide,
}: {
  label: string;
  value: string | number;
  options: readonly (readonly [string | number, string, ...unknown[]])[];
  onChange: (value: string) => void;
  disabled?: boolean;
  wide?: string;
}) {
  return (
    <label className="block">
      <span className="block text-[12px] text-soft">{label}</span>
      <select
        className={`field ${wide ?? ""}`}
        value={value}
        disabled={disabled}
        onChange={(event) => onChange(event.target.value)}
      >
        {options.map(([key, words]) => (
          <option key={key} value={key}>
            {words}
          </option>
        ))}
      </select>
    </label>
  );
}
