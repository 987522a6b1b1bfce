import type { Inventory, Part } from "../api/client";

export type Group = Inventory["groups"][number];

/** A part or a group in the tree, with what is beneath it. */
export interface Branch {
  id: string;
  name: string;
  part: Part | null;
  group: Group | null;
  children: Branch[];
  /** How many parts are beneath it, itself included. */
  parts: number;
}

/** The parts and groups of an inventory as they hold each other; groups that hold nothing are left out unless they were made here. */
export function treeOf(inventory: Inventory): Branch[] {
  const branches = new Map<string, Branch>();
  const add = (id: string, name: string, part: Part | null, group: Group | null) =>
    branches.set(id, { id, name, part, group, children: [], parts: part ? 1 : 0 });
  for (const group of inventory.groups) add(group.id, group.name, null, group);
  for (const part of inventory.parts) add(part.id, part.name, part, null);
  const roots: Branch[] = [];
  for (const branch of branches.values()) {
    const holder = branches.get((branch.part ?? branch.group)?.parent ?? "");
    (holder ? holder.children : roots).push(branch);
  }
  const count = (branch: Branch): number => {
    branch.children = branch.children.filter((child) => count(child) > 0 || child.group?.made);
    branch.parts = (branch.part ? 1 : 0) + branch.children.reduce((sum, child) => sum + child.parts, 0);
    return branch.parts;
  };
  return roots.filter((root) => count(root) > 0 || root.group?.made);
}

/** Those of a tree that are named like what is searched, with what holds them. */
export function found(tree: Branch[], search: string): Branch[] {
  const wanted = search.trim().toLowerCase();
  if (!wanted) return tree;
  return tree.flatMap((branch) => {
    if (branch.name.toLowerCase().includes(wanted)) return [branch];
    const children = found(branch.children, wanted);
    return children.length ? [{ ...branch, children }] : [];
  });
}

/** Ids of all groups of a tree. */
export const groupsIn = (tree: Branch[]): string[] =>
  tree.flatMap((branch) => (branch.children.length ? [branch.id, ...groupsIn(branch.children)] : []));

/** Parts of a tree that are chosen, by themselves or with a group above them. */
export function partsOf(tree: Branch[], chosen: ReadonlySet<string>, above = false): string[] {
  return tree.flatMap((branch) => {
    const taken = above || chosen.has(branch.id);
    // A part that holds others stands for itself alone.
    const below = partsOf(branch.children, chosen, taken && branch.part === null);
    return taken && branch.part ? [branch.id, ...below] : below;
  });
}
