/** The staff to measure by, the staff and a standing figure, or nothing. */
export const RODS = ["on", "person", "off"] as const;
export type RodShown = (typeof RODS)[number];
