import type { Decision, Inventory } from "../../../api/client";
import { deciding } from "../../../api/decisions";

type Rules = Inventory["choice"]["rules"];
const ofGroup = (rule: Rules[number], groups: ReadonlySet<string>) =>
  "group" in rule && groups.has(rule.group);

/** Decisions that leave the chosen out: groups by a rule, which holds for what is added to them later; parts each by itself. */
export function leavingOut(inventory: Inventory, chosen: string[]): Decision[] {
  const groups = inventory.groups.map((group) => group.id).filter((id) => chosen.includes(id));
  const rules = inventory.choice.rules;
  const fresh = groups.filter((group) => !rules.some((rule) => "group" in rule && rule.group === group));
  const parts = inventory.parts.map((part) => part.id).filter((id) => chosen.includes(id));
  return [
    ...(fresh.length
      ? [deciding("scene", "leave_out", [...rules, ...fresh.map((group) => ({ group }))])]
      : []),
    ...parts.map((part) => deciding(part, "include", false)),
  ];
}

/** Decisions that take the chosen along again, with every part beneath a chosen group. */
export function takingAlong(inventory: Inventory, chosen: string[], parts: string[]): Decision[] {
  const groups = new Set(chosen);
  const rules = inventory.choice.rules.filter((rule) => !ofGroup(rule, groups));
  const out = new Set(inventory.parts.filter((part) => !part.included).map((part) => part.id));
  return [
    ...(rules.length < inventory.choice.rules.length ? [deciding("scene", "leave_out", rules)] : []),
    ...parts
      .filter((part) => out.has(part) || chosen.includes(part))
      .map((part) => deciding(part, "include", true)),
  ];
}
