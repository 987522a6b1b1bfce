export type Lens = "lit" | "facing" | "colors" | "uv" | "density" | "layout" | "input" | "ids";
export const LENSES: readonly (readonly [Lens, string])[] = [
  ["lit", "Lit"],
  ["facing", "Facing"],
  ["colors", "Vertex colour"],
  ["uv", "UV checker"],
  ["density", "Texels a metre"],
  ["layout", "UV layout"],
  ["ids", "IDs"],
  ["input", "One input…"],
];

/** Lenses that show one UV set. */
export const OF_A_SET: readonly Lens[] = ["uv", "density", "layout"];
/** UV sets that may be looked at; further ones are not drawn by the browser. */
export const SETS = 4;

/** Texels a metre that the ends of the scale stand for, in doublings: 32 and 8,192. */
export const DENSITY_ENDS = [5, 13] as const;
/** The image that a material without one is looked at with. */
export const ASSUMED_TEXELS = 1024;
