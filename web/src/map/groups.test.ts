import { describe, expect, it } from "vitest";

import { grouped, onlyWays, usual } from "./groups";
import { layOutMap, type MapData } from "./layout";

function link(up: boolean, ...devices: string[]): MapData["links"][number] {
  return {
    lan: null, up, why_down: null, inferred: false, reason: "",
    ends: devices.map((device) => ({ device, interface: "x", up, addresses: [] })),
  };
}

/** Groups by the first letter of a name. */
function network(names: string[], links: MapData["links"], breaks: Record<string, number> = {}): MapData {
  const nodes = names.map((name) => ({
    name, role: name.endsWith("h") ? "host" : "router", breaks: breaks[name] ?? 0, chassis: null, groups: { area: name[0] as string },
  }));
  return { nodes, links, groupings: [{ by: "area", called: "area", count: 2 }] };
}

describe("groups on the map", () => {
  const data = network(
    ["a1", "a2", "ah", "b1", "b2", "c1"],
    [link(true, "a1", "a2"), link(true, "a1", "ah"), link(true, "a1", "b1"), link(false, "a2", "b2"), link(true, "b1", "b2"), link(true, "b2", "c1")],
    { a1: 2, a2: 1 },
  );

  it("draws a closed group as one, with what is inside and what is wrong there", () => {
    const found = grouped(data, "area", new Set(), new Set());
    expect(found.data.nodes.map((node) => node.name)).toEqual(["group a", "group b", "group c"]);
    expect(found.inside.get("group a")).toEqual({ routers: 2, hosts: 1, breaks: 3, unread: 0 });
  });

  it("makes one line of all links between two groups, and says how many are down", () => {
    const found = grouped(data, "area", new Set(), new Set());
    const lines = found.data.links.map((item, index) => ({ ends: item.ends.map((end) => end.device), ...found.bundles.get(index) }));
    expect(lines).toEqual([
      { ends: ["group a", "group b"], links: 2, down: 1, only: true },
      { ends: ["group b", "group c"], links: 1, down: 0, only: true },
    ]);
  });

  it("draws the members of an opened group, and the devices of a journey in any case", () => {
    const names = (open: string[], kept: string[]) =>
      grouped(data, "area", new Set(open), new Set(kept)).data.nodes.map((node) => node.name);
    expect(names(["a"], [])).toEqual(["a1", "a2", "ah", "group b", "group c"]);
    expect(names([], ["b2"])).toEqual(["b2", "group a", "group b", "group c"]);
  });

  it("finds the links without which something is cut off", () => {
    const ring = network(["a1", "a2", "a3", "b1"], [link(true, "a1", "a2"), link(true, "a2", "a3"), link(true, "a3", "a1"), link(true, "a3", "b1")]);
    expect([...onlyWays(ring)]).toEqual([3]);
  });

  it("finds them where several devices share a link, whoever is first on it", () => {
    // a1 and a2 have a second way to each other; a3 hangs on the shared link alone.
    for (const shared of [["a1", "a2", "a3"], ["a2", "a3", "a1"], ["a3", "a1", "a2"]]) {
      const links = [link(true, "a1", "b1"), link(true, "b1", "a2"), link(true, ...shared)];
      expect([...onlyWays(network(["a1", "a2", "a3", "b1"], links))]).toEqual([2]);
    }
    const twice = [link(true, "a1", "a2", "a3"), link(true, "a3", "a1", "a2")];
    expect([...onlyWays(network(["a1", "a2", "a3"], twice))]).toEqual([]);
  });

  it("holds against cutting each link in turn", () => {
    let seed = 7;
    const roll = (n: number) => (seed = (seed * 48271) % 2147483647) % n;
    for (let round = 0; round < 200; round += 1) {
      const names = ["a1", "a2", "a3", "b1", "b2", "c1"];
      const links = Array.from({ length: 3 + roll(5) }, () => {
        const from = [...names].sort(() => roll(3) - 1);
        return link(roll(6) > 0, ...from.slice(0, 2 + roll(2)));
      });
      const pieces = (without: number) => {
        const of = new Map(names.map((name) => [name, name]));
        const head = (name: string): string => (of.get(name) === name ? name : head(of.get(name) as string));
        links.forEach((item, index) => {
          if (index === without || !item.up) return;
          for (const end of item.ends) of.set(head(end.device), head(item.ends[0]!.device));
        });
        return new Set(names.map(head)).size;
      };
      // A link of three ends may cut one off, and not all: then it is an only way as well.
      const cut = links.flatMap((item, index) => (item.up && pieces(index) > pieces(-1) ? [index] : []));
      expect([...onlyWays(network(names, links))].sort()).toEqual(cut);
    }
  });

  it("stands groups that only one group joins around it, none on another and none on its line", () => {
    for (const count of [8, 17, 30, 45]) {
      const names = Array.from({ length: count }, (_, i) => `${String.fromCharCode(98 + i)}1`);
      const star = network(["a1", ...names], names.map((name) => link(true, "a1", name)));
      const { places, wires } = layOutMap(grouped(star, "area", new Set(), new Set()).data, [], 96);
      expect(places.length).toBe(count + 1);
      const hub = places.find((place) => place.id === "group a")!;
      for (const one of places) {
        for (const other of places) {
          if (one === other) continue;
          expect(Math.abs(one.x - other.x) >= 118 || Math.abs(one.y - other.y) >= 46).toBe(true);
          if (one === hub || other === hub) continue;
          // Where the line from the hub to one passes the other's column, it is outside of its box.
          const along = ((other.x - hub.x) * (one.x - hub.x) + (other.y - hub.y) * (one.y - hub.y)) / ((one.x - hub.x) ** 2 + (one.y - hub.y) ** 2);
          if (along <= 0 || along >= 1) continue;
          const off = { x: Math.abs(hub.x + along * (one.x - hub.x) - other.x), y: Math.abs(hub.y + along * (one.y - hub.y) - other.y) };
          expect(off.x > 48 || off.y > 23).toBe(true);
        }
      }
      expect(wires.length).toBe(count);
    }
  });

  it("begins with groups only where single devices could not be read", () => {
    expect(usual(data)).toBe(null);
    const many = network(Array.from({ length: 90 }, (_, i) => `a${i}`), []);
    expect(usual(many)).toBe("area");
  });
});
