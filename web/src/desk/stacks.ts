import type { Shapes } from "../api/client";

type Group = Shapes["DeskGroupShape"];

/** From so many on, causes of one kind at one device are one row: nobody reads the same twelve times. */
const MANY = 3;

/**
 * The groups in rows: causes of one kind at one device lie upon each other where there are many,
 * worst first. Each still heals its own pairs, so their numbers add up.
 */
export function stacks(groups: Group[]): Group[][] {
  const kinds = new Map<string, Group[]>();
  const rows: Group[][] = [];
  for (const group of groups) {
    const [cause] = group.causes;
    const key = cause && group.causes.length === 1 ? `${cause.kind} ${cause.device}` : null;
    const row = key === null ? undefined : kinds.get(key);
    if (row) row.push(group);
    else {
      const made = [group];
      rows.push(made);
      if (key !== null) kinds.set(key, made);
    }
  }
  const out = rows.flatMap((row) => (row.length < MANY ? row.map((group) => [group]) : [row]));
  const proven = (row: Group[]) => Number(row[0]?.causes.length !== 0);
  // What a cause explains stays before what is only known by where it ends.
  return out.sort((a, b) => proven(b) - proven(a) || pairsOf(b) - pairsOf(a));
}

export function pairsOf(row: Group[]): number {
  return row.reduce((sum, group) => sum + group.pairs, 0);
}
