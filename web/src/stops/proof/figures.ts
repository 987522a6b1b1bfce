export interface Share {
  id: string;
  name: string;
  mean: number;
  cover: number;
}

export interface ViewFigures {
  name: string;
  ev100: number;
  mean: number;
  p95: number;
  noise: number;
  samples: number;
  seconds: number[];
  materials: Share[];
  parts: Share[];
}

export interface Figures {
  verdict: string;
  mean: number;
  worst_view: string;
  views: ViewFigures[];
}

/** The figures of a proof, as `trasloco.summary.proof_json` writes them. */
export function readFigures(raw: Record<string, unknown>): Figures {
  return raw as unknown as Figures;
}
