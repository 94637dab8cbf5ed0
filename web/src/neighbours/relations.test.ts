import { describe, expect, it } from "vitest";

import { setProtocols } from "../ui/words";
import { endName, familyProtocol, groupRelations, relationKey, relationLabel, type Relation } from "./relations";

function pair(left: string, right: string, failing: string | null): Relation {
  const end = (device: string) => ({ device, interface: "eth1", address: null, state: "full", expected: "full" });
  return { protocol: "ospf", family: "ipv4", left: end(left), right: end(right), works: failing === null, gates: [], first_failing: failing };
}

describe("relations", () => {
  it("puts what fails first, the most frequent cause on top, and what works last", () => {
    const groups = groupRelations([pair("a", "b", null), pair("b", "c", "area"), pair("c", "d", "MTU"), pair("d", "e", "MTU")]);
    expect(groups.map((group) => group.title)).toEqual(["fails at: MTU", "fails at: area", "working"]);
    expect(groups.map((group) => group.pairs.length)).toEqual([2, 1, 1]);
  });

  it("says on the map which gate fails, or which area it is", () => {
    expect(relationLabel(pair("a", "b", "MTU"))).toBe("✕ MTU");
    const inside = pair("a", "b", null);
    inside.gates = [{ gate: "area", left: "0.0.0.2", right: "0.0.0.2", holds: true, stops: "neighbour", evidence: [] }];
    expect(relationLabel(inside)).toBe("area 2");
  });

  it("names ends and protocols, and tells pairs apart", () => {
    expect(endName({ device: "gull", interface: null })).toBe("gull");
    setProtocols([{ name: "rip", title: "RIP", ipv4: "RIP", ipv6: "RIPng" }]);
    expect(familyProtocol({ protocol: "rip", family: "ipv6" })).toBe("RIPng");
    expect(relationKey(pair("a", "b", null))).not.toBe(relationKey(pair("a", "c", null)));
  });
});
