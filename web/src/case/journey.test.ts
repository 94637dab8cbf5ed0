import { describe, expect, it } from "vitest";

import { firstSelection, hopText, layOut, mergeOrder, parseHop, type Branch, type Hop, type Path } from "./journey";

function hop(device: string, out: string | null = "x"): Hop {
  return { device, in: null, route: null, out, next_hop: null, actions: [], mtu: null, reason: null };
}

function branch(verdict: Branch["verdict"], ...names: string[]): Branch {
  return { verdict, reason: "", hops: names.map((name) => hop(name)) };
}

function path(outbound: Branch[], back: Branch[] | null, verdicts: [Branch["verdict"], Branch["verdict"]]): Path {
  return {
    from: { device: "a", address: "10.64.0.1" },
    to: { device: "z", address: "10.64.0.9" },
    family: "ipv4",
    works: "no",
    sentence: "",
    outbound: { verdict: verdicts[0], reason: "", branch_count: outbound.length, branches: outbound },
    return: back && { verdict: verdicts[1], reason: "", branch_count: back.length, branches: back },
    caveats: [],
    largest: null,
    sizes: { outbound: null, return: null },
    failing_sources: [],
  };
}

describe("the order of devices", () => {
  it("keeps the first way and puts others behind the one they follow", () => {
    expect(mergeOrder([["a", "b", "c", "z"], ["a", "d", "c", "z"]])).toEqual(["a", "b", "d", "c", "z"].sort((x, y) => "adbcz".indexOf(x) - "adbcz".indexOf(y)));
  });

  it("puts a device that comes first before the one it leads to", () => {
    expect(mergeOrder([["b", "c"], ["a", "b"]])).toEqual(["a", "b", "c"]);
  });
});

describe("laying out a journey", () => {
  it("aligns both legs on one row of devices", () => {
    const journey = layOut(path([branch("delivered", "a", "b", "z")], [branch("delivered", "z", "c", "b", "a")], ["delivered", "delivered"]));
    expect(journey.columns).toEqual(["a", "b", "c", "z"]);
    expect(journey.back[0]?.stations.map((s) => s.column)).toEqual([3, 2, 1, 0]);
  });

  it("shows the target although the request never gets there", () => {
    const journey = layOut(path([branch("no-route", "a", "b")], [branch("delivered", "z", "c", "b", "a")], ["no-route", "delivered"]));
    expect(journey.columns[0]).toBe("a");
    expect(journey.columns.at(-1)).toBe("z");
    expect(journey.columns).toContain("c");
  });

  it("draws the branch that arrives beside the devices, and only the rest of the others", () => {
    const journey = layOut(path(
      [branch("loop", "a", "b", "d"), branch("delivered", "a", "b", "c", "z")], null, ["loop", "loop"],
    ));
    expect(journey.outbound[0]?.verdict).toBe("delivered");
    expect(journey.outbound[1]?.own).toEqual([2, 2]);
  });

  it("selects the hop where the first failing leg dies", () => {
    const dead = path([branch("delivered", "a", "z")], [branch("no-route", "z", "b")], ["delivered", "no-route"]);
    expect(firstSelection(dead)).toEqual({ leg: "return", branch: 0, index: 1 });
  });

  it("reads a hop from the URL only if it is there", () => {
    const one = path([branch("delivered", "a", "z")], null, ["delivered", "delivered"]);
    expect(parseHop("o0.1", one)).toEqual({ leg: "outbound", branch: 0, index: 1 });
    expect(parseHop("o0.7", one)).toBeNull();
    expect(parseHop("r0.0", one)).toBeNull();
    expect(parseHop("anything", one)).toBeNull();
    expect(hopText({ leg: "return", branch: 2, index: 3 })).toBe("r2.3");
  });
});
