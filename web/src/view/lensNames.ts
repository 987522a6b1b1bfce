export type Lens = "received" | "facing" | "colors" | "uv" | "input" | "ids";
export const LENSES: readonly (readonly [Lens, string])[] = [
  ["received", "As received"],
  ["facing", "Facing"],
  ["colors", "Vertex colour"],
  ["uv", "UV set 1"],
  ["ids", "IDs"],
  ["input", "One input…"],
];
