/** Decides one thing. */
export type Put = (target: string, field: string, value: unknown) => void;
