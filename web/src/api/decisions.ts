import ranges from "./ranges.json";
import type { paths } from "./schema";

/** A decision on the wire: a value for a field of a target, each field with a type of its own. */
export type Decision =
  paths["/api/moves/{move_id}/decisions"]["post"]["requestBody"]["content"]["application/json"][number];
export type Field = Decision["field"];
export type ValueOf<F extends Field> = Extract<Decision, { field: F }>["value"];
/** Decides one thing. */
export type Put = <F extends Field>(target: string, field: F, value: ValueOf<F>) => void;

/** A value for a field of a target. */
export function deciding<F extends Field>(target: string, field: F, value: ValueOf<F>): Decision {
  return { target, field, value } as Decision;
}

export interface Range {
  /** What is taken, in words. */
  words: string;
  minimum?: number;
  maximum?: number;
  /** A lower bound that is not reached itself. */
  above?: number;
  unit?: string;
  choices?: (string | number)[];
  /** Whether nothing is a choice. */
  empty?: boolean;
  /** Of what it is made of, by name. */
  parts?: Record<string, Range>;
}

/** What a field takes, or a part of its value, as the core says. */
export function rangeOf(field: Field, part?: string): Range {
  const whole = (ranges as Record<string, Range>)[field];
  return (part === undefined ? whole : whole?.parts?.[part]) ?? { words: "" };
}

/** Whether a number is within a range. */
export function fits(range: Range, value: number): boolean {
  const { minimum = -Infinity, maximum = Infinity, above = -Infinity } = range;
  return Number.isFinite(value) && value >= minimum && value <= maximum && value > above;
}
