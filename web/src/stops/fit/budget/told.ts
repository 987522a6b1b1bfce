import { span } from "../../../ui/Progress";

export type Resource = "memory" | "download" | "triangles" | "bake" | "draws";

export const MIB = 2 ** 20;

/** An amount of a resource in words. */
export function told(resource: Resource, amount: number): string {
  if (resource === "bake") return span(amount);
  if (resource === "triangles" || resource === "draws") return Math.round(amount).toLocaleString("en");
  const mib = amount / MIB;
  if (mib < 0.1 && amount > 0) return `${Math.max(Math.round(amount / 1024), 1)} KiB`;
  return `${mib.toFixed(mib < 10 ? 1 : 0)} MiB`;
}
