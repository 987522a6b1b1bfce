export type Lens = "lit" | "facing" | "colors" | "uv" | "input" | "ids";
export const LENSES: readonly (readonly [Lens, string])[] = [
  ["lit", "Lit"],
  ["facing", "Facing"],
  ["colors", "Vertex colour"],
  ["uv", "UV set 1"],
  ["ids", "IDs"],
  ["input", "One input…"],
];
