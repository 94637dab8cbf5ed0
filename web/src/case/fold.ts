import { filtersOf, type Journey, rewritesOf, wrapOf } from "./journey";

/** Columns of a journey in the slots they are drawn in: one each, or several folded into one. */
export interface Folded {
  /** Per column its slot. */
  slot: number[];
  /** Per slot its columns; more than one are folded. */
  slots: number[][];
}

/**
 * Folds devices at which nothing happens, until a journey fits: the two ends, what is selected,
 * where a way ends or parts from another, and whoever filters, rewrites or wraps stay.
 *
 * @param room how many slots there are
 * @param chosen the device that is selected
 */
export function fold(journey: Journey, room: number, chosen: string | null): Folded {
  const count = journey.columns.length;
  const kept = new Set([0, count - 1, journey.columns.indexOf(chosen ?? "")]);
  for (const lane of [...journey.outbound, ...journey.back]) {
    const last = lane.stations.at(-1);
    // Whoever takes it stands at the end; where a way dies, those before are told, too.
    if (last && lane.verdict !== "delivered") for (const station of lane.stations.slice(-2)) kept.add(station.column);
    if (last) kept.add(last.column);
    if (lane.loopTo !== null) kept.add(lane.loopTo);
    if (lane.level > 0) {
      for (const at of [lane.own[0] - 1, lane.own[0], lane.own[1], lane.own[1] + 1]) {
        const station = lane.stations[at];
        if (station) kept.add(station.column);
      }
    }
    for (const { column, hop } of lane.stations) {
      if (filtersOf(hop).length || rewritesOf(hop).length || wrapOf(hop)) kept.add(column);
    }
  }
  const runs: number[][] = [];
  for (let column = 0; column < count; column += 1) {
    if (kept.has(column)) continue;
    const run = runs.at(-1);
    if (run && run.at(-1) === column - 1) run.push(column);
    else runs.push([column]);
  }
  let over = count - room;
  const folded: number[][] = [];
  for (const run of [...runs].sort((a, b) => b.length - a.length)) {
    if (over <= 0 || run.length < 2) break;
    // No more than it takes: the middle of the run goes first.
    const size = Math.min(run.length, over + 1);
    const from = Math.floor((run.length - size) / 2);
    folded.push(run.slice(from, from + size));
    over -= size - 1;
  }
  const of = new Map(folded.flatMap((group) => group.map((column) => [column, group] as const)));
  const slots: number[][] = [];
  const slot: number[] = [];
  for (let column = 0; column < count; column += 1) {
    const group = of.get(column);
    if (!group) slots.push([column]);
    else if (group[0] === column) slots.push(group);
    slot.push(slots.length - 1);
  }
  return { slot, slots };
}
