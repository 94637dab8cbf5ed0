import type { Shapes } from "../api/client";

type Group = Shapes["DeskGroupShape"];

/** From so many on, causes of one kind at one device are one row: nobody reads the same twelve times. */
const MANY = 3;

/**
 * The groups in rows: causes of one kind at one device lie upon each other where there are many,
 * worst first. Each still heals its own pairs, so their numbers add up.
 */
export function stacks(groups: Group[]): [Group, ...Group[]][] {
  const kinds = new Map<string, [Group, ...Group[]]>();
  const rows: [Group, ...Group[]][] = [];
  for (const group of groups) {
    const [cause] = group.causes;
    const key = cause && group.causes.length === 1 ? `${cause.kind} ${cause.device}` : null;
    const row = key === null ? undefined : kinds.get(key);
    if (row) row.push(group);
    else {
      const made: [Group, ...Group[]] = [group];
      rows.push(made);
      if (key !== null) kinds.set(key, made);
    }
  }
  const out = rows.flatMap((row) => (row.length < MANY ? row.map((group): [Group] => [group]) : [row]));
  const proven = (row: [Group, ...Group[]]) => Number(row[0].causes.length > 0);
  // What a cause explains stays before what is only known by where it ends.
  return out.sort((a, b) => proven(b) - proven(a) || pairsOf(b) - pairsOf(a));
}

export function pairsOf(row: Group[]): number {
  return sum(row, "pairs");
}

export function sum(row: Group[], what: "pairs" | "further" | "unsure"): number {
  return row.reduce((total, group) => total + group[what], 0);
}

/** What mends all of them; what several ask for is there once. */
export function editsOf(row: Group[]) {
  const edits = row.flatMap((group) => group.causes.flatMap((cause) => cause.remedy?.edits ?? []));
  return [...new Map(edits.map((edit) => [JSON.stringify(edit), edit])).values()];
}
