export function bytes(count: number): string {
  if (count < 1000) return `${count} B`;
  if (count < 1e6) return `${(count / 1000).toFixed(1)} kB`;
  return count < 1e9 ? `${(count / 1e6).toFixed(1)} MB` : `${(count / 1e9).toFixed(1)} GB`;
}

/** Thin spaces between thousands. */
export const whole = (count: number) =>
  Math.round(count)
    .toString()
    .replace(/\B(?=(\d{3})+(?!\d))/g, "\u202f");

export const metres = (value: number) => `${value.toFixed(2)} m`;

export const when = (iso: string) =>
  new Date(iso).toLocaleString(undefined, {
    day: "numeric",
    month: "short",
    hour: "2-digit",
    minute: "2-digit",
  });
