import { describe, expect, it } from "vitest";

import { fold } from "./fold";
import { layOut, type Branch, type Hop, type Path } from "./journey";

function hop(device: string, actions: Hop["actions"] = []): Hop {
  return { device, in: null, route: null, out: "x", next_hop: null, actions, mtu: null, reason: null };
}

function branch(verdict: Branch["verdict"], ...hops: (string | Hop)[]): Branch {
  return { verdict, reason: "", hops: hops.map((item) => (typeof item === "string" ? hop(item) : item)) };
}

function journey(outbound: Branch[], back: Branch[] | null) {
  const worst = (branches: Branch[]) => branches.find((item) => item.verdict !== "delivered")?.verdict ?? "delivered";
  const path: Path = {
    from: { device: "a", address: "10.64.0.1" }, to: { device: "z", address: "10.64.0.9" },
    family: "ipv4", works: "no", sentence: "",
    outbound: { verdict: worst(outbound), reason: "", branch_count: outbound.length, branches: outbound },
    return: back && { verdict: worst(back), reason: "", branch_count: back.length, branches: back },
    caveats: [], largest: null, sizes: { outbound: null, return: null }, failing_sources: [],
  };
  return layOut(path);
}

const WAY = ["a", "b", "c", "d", "e", "f", "g", "h", "i", "z"];
const names = (of: ReturnType<typeof journey>, room: number, chosen: string | null = null) =>
  fold(of, room, chosen).slots.map((columns) => columns.map((index) => of.columns[index]).join(""));

describe("folding a journey", () => {
  const plain = journey([branch("delivered", ...WAY)], [branch("delivered", ...[...WAY].reverse())]);

  it("leaves alone what fits", () => {
    expect(names(plain, 10)).toEqual(WAY);
    expect(names(plain, Infinity)).toEqual(WAY);
  });

  it("folds the middle, no more than it takes, and always fits", () => {
    expect(names(plain, 8)).toEqual(["a", "b", "c", "def", "g", "h", "i", "z"]);
    for (let room = 3; room < 10; room += 1) expect(names(plain, room).length).toBe(room);
  });

  it("keeps what is selected, and folds on both sides of it", () => {
    expect(names(plain, 5, "e")).toContain("e");
    expect(names(plain, 5, "e").length).toBe(5);
  });

  it("keeps where a way dies and who comes before, and where ways part", () => {
    const dies = journey([branch("no-route", ...WAY.slice(0, 8))], null);
    expect(names(dies, 6)).toEqual(expect.arrayContaining(["g", "h"]));
    const parts = journey([branch("delivered", ...WAY), branch("no-route", "a", "b", "c", "x")], null);
    expect(names(parts, 7)).toEqual(expect.arrayContaining(["c", "x"]));
  });

  it("keeps who does something to the packet", () => {
    const filter = { do: "filter", result: "permit" } as Hop["actions"][number];
    const way = WAY.map((name) => (name === "e" ? hop("e", [filter]) : name));
    expect(names(journey([branch("delivered", ...way)], null), 6)).toContain("e");
  });
});
