/** Ways to look at lightmaps: what each is called, and what its scale says. */
export const LENS_WORDS: Record<string, readonly [string, string]> = {
  light: ["Light", "on grey, through the tone curve"],
  density: ["Density", "paper 0, ink 256 texels a metre"],
  charts: ["Charts", "one tone a chart, lines between"],
  toward: ["Where from", "a direction as a colour: red right, green up, blue near; grey where light is even"],
  leak: ["Leaks", "ΔE, paper 0, ink 12"],
  seam: ["Seams", "ΔE, paper 0, ink 12"],
  noise: ["Noise", "ΔE, paper 0, ink 12"],
  coarse: ["Steps", "ΔE to the next texel, paper 0, ink 12"],
  dark: ["Edges", "ΔE, paper 0, ink 12"],
  speck: ["Specks", "ΔE, paper 0, ink 12"],
};
export const FAULT_WORDS: Record<string, string> = {
  leak: "Leaks",
  seam: "Seams",
  noise: "Blotchy",
  coarse: "Too few texels",
  dark: "Dark edges",
  speck: "Light from nowhere",
};
