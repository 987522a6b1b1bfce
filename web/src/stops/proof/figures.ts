export interface Share {
  id: string;
  name: string;
  mean: number;
  cover: number;
  noise?: number;
  significant?: boolean;
}

export interface ViewFigures {
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
  mean: number;
  worst_view: string;
  views: ViewFigures[];
  causes?: CausesFigures;
}

/** The figures of a proof, as `trasloco.summary.proof_json` writes them. */
export function readFigures(raw: Record<string, unknown>): Figures {
  return raw as unknown as Figures;
}
