/** The pages of a stop: which of them is seen, and the others one press away. */
export function PageStrip({
  label,
  pages,
  shown,
  onShow,
}: {
  label: string;
  pages: readonly (readonly [key: string, words: string])[];
  shown: string;
  onShow: (key: string) => void;
}) {
  return (
    <nav aria-label={label} className="flex gap-1 border-b border-base-300 px-3 py-2">
      {pages.map(([key, words]) => (
        <button key={key} className="press h-6 px-2" aria-pressed={shown === key} onClick={() => onShow(key)}>
          {words}
        </button>
      ))}
    </nav>
  );
}
