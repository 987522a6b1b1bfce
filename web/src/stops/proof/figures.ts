/** A mean difference with noise taken off, and within what it lies. */
export interface Figure {
  value: number;
  low: number;
  high: number;
  raw: number;
  noise: number;
  cover: number;
}

export interface Share {
  /** With noise taken off. */
  value?: number;
  low?: number;
  high?: number;
  id: string;
  name: string;
  mean: number;
  cover: number;
  noise?: number;
  significant?: boolean;
}

export interface ViewFigures {
  frame?: Figure;
  subject?: Figure;
  judged?: number;
  name: string;
  ev100: number;
  mean: number;
  p95: number;
  noise: number;
  error?: number;
  significant?: boolean;
  flip?: number;
  ssim?: number;
  samples: number;
  width: number;
  height: number;
  seconds: number[];
  materials: Share[];
  parts: Share[];
}

export interface CauseFigures {
  id: string;
  kind: "input" | "sides" | "see-through" | "light" | "geometry";
  label: string;
  where: string;
  reason: string;
  target: string;
  share: number;
  noise: number;
  significant: boolean;
}

export interface CausesFigures {
  view: string;
  mean: number;
  remainder: number;
  untried: number;
  seconds: number;
  causes: CauseFigures[];
}

export interface Figures {
  /** After-effects that were simulated on the arrival. */
  effects?: string[];
  verdict: string;
  /** The word at the low end of what the judged figure lies within. */
  at_least?: string;
  /** The worse of subject and worst material: what the verdict speaks of. */
  judged?: number;
  frame?: Figure;
  subject?: Figure;
  worst_material?: (Figure & { id: string; name: string }) | null;
  stand_in?: boolean;
  unseen?: string[];
  dark?: string[];
  mean: number;
  worst_view: string;
  views: ViewFigures[];
  causes?: CausesFigures;
}

/** The figures of a proof, as `trasloco.summary.proof_json` writes them. */
export function readFigures(raw: Record<string, unknown>): Figures {
  return raw as unknown as Figures;
}
