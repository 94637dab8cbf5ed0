import type { Shapes } from "../api/client";
import { protocolName } from "../ui/words";

export type Relation = Shapes["RelationShape"];

/** The protocol as people call it, per address family. */
export function familyProtocol(pair: Pick<Relation, "protocol" | "family">): string {
  return protocolName(pair.protocol, pair.family);
}

/** The same, and whether the two meet on a link or across an area. */
export function relationName(pair: Relation): string {
  const crossing = pair.gates.some((gate) => gate.gate === "transit area" || gate.gate === "virtual link");
  return crossing ? `${familyProtocol(pair)} virtual link` : familyProtocol(pair);
}

export function endName(end: { device: string; interface: string | null }): string {
  return end.interface ? `${end.device} ${end.interface}` : end.device;
}

export function relationKey(pair: Relation): string {
  return [pair.protocol, pair.family, endName(pair.left), endName(pair.right), pair.left.address, pair.right.address].join("|");
}

export interface Group {
  title: string;
  works: boolean;
  pairs: Relation[];
}

/** Relations by the gate that fails first, the most frequent cause first; what works comes last. */
export function groupRelations(pairs: Relation[]): Group[] {
  const groups = new Map<string, Group>();
  for (const pair of pairs) {
    const title = pair.works ? "working" : `fails at: ${pair.first_failing ?? "a gate"}`;
    const group = groups.get(title) ?? { title, works: pair.works, pairs: [] };
    group.pairs.push(pair);
    groups.set(title, group);
  }
  return [...groups.values()].sort(
    (a, b) => Number(a.works) - Number(b.works) || b.pairs.length - a.pairs.length || a.title.localeCompare(b.title),
  );
}

/** What the map writes on a relation: the gate that fails, or its area if not the backbone. */
export function relationLabel(pair: Relation): string {
  if (!pair.works) return `✕ ${pair.first_failing ?? ""}`;
  const crossed = pair.gates.find((gate) => gate.gate === "transit area")?.left;
  if (crossed) return `virtual, over area ${crossed.replace(/^0\.0\.0\./, "")}`;
  const area = pair.gates.find((gate) => gate.gate === "area")?.left;
  return area && area !== "0.0.0.0" ? `area ${area.replace(/^0\.0\.0\./, "")}` : "";
}
