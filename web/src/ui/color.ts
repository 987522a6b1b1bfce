/** The curve of IEC 61966-2-1, for colours that are picked and shown. */
export const toSrgb = (v: number) => (v <= 0.0031308 ? v * 12.92 : 1.055 * v ** (1 / 2.4) - 0.055);
export const toLinear = (v: number) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);

/** Codes from 0 to 255 of a linear colour; what is brighter than white is shown as white. */
export const codesOf = (linear: readonly number[]) =>
  linear.map((v) => Math.round(255 * toSrgb(Math.min(Math.max(v, 0), 1))));

/** `#rrggbb` of a linear colour; what is brighter than white is shown as white. */
export const hexOf = (linear: readonly number[]) =>
  `#${codesOf(linear)
    .map((code) => code.toString(16).padStart(2, "0"))
    .join("")}`;
export const linearOf = (hex: string) =>
  [1, 3, 5].map((at) => toLinear(parseInt(hex.slice(at, at + 2), 16) / 255));
