import type { components } from "../../api/schema";

type Schemas = components["schemas"];
export type Figure = Schemas["Figure"];
export type Share = Schemas["Share"];
export type ViewFigures = Schemas["ViewFigures"];
export type CauseFigures = Schemas["CauseFigures"];
export type HowRight = Schemas["HowRight"];
export type Figures = Schemas["ProofFigures"];
