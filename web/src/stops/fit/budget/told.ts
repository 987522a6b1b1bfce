export type Resource = "memory" | "download" | "triangles";

export const MIB = 2 ** 20;

/** An amount of a resource in words. */
export function told(resource: Resource, amount: number): string {
  if (resource === "triangles") return Math.round(amount).toLocaleString("en");
  const mib = amount / MIB;
  return `${mib.toFixed(mib < 10 ? 1 : 0)} MiB`;
}
