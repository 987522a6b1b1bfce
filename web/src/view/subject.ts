import type { Inventory } from "../api/client";

/** Parts that come along and that nothing proposes to leave behind. */
export function subjectOf(inventory: Inventory): string[] {
  const proposed = new Set(
    inventory.findings
      .filter((finding) => finding.state === "open")
      .flatMap((finding) => finding.mends[0]?.decisions ?? [])
      .filter((decision) => decision.field === "include" && decision.value === false)
      .map((decision) => decision.target),
  );
  return inventory.parts.filter((part) => part.included && !proposed.has(part.id)).map((part) => part.id);
}
