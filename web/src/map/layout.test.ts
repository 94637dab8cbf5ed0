import { describe, expect, it } from "vitest";

import { layOutMap, readable, type MapData } from "./layout";

function link(lan: string | null, ...devices: string[]): MapData["links"][number] {
  return {
    lan, up: true, why_down: null, inferred: false, reason: "",
    ends: devices.map((device) => ({ device, interface: "x", up: true, addresses: [] })),
  };
}

function network(names: string[], links: MapData["links"]): MapData {
  return { nodes: names.map((name) => ({ name, role: name.startsWith("h") ? "host" : "router", breaks: 0, chassis: name.includes("/") ? (name.split("/")[0] ?? null) : null, groups: {} })), links, groupings: [] };
}

describe("the map", () => {
  const data = network(
    ["a", "b", "c", "d", "h1", "h2", "h3", "lost"],
    [link(null, "a", "b"), link(null, "b", "c"), link(null, "b", "d"), link("lan", "a", "h1", "h2"), link(null, "c", "h3")],
  );

  it("draws the case as a straight line from left to right", () => {
    const drawing = layOutMap(data, ["h1", "a", "b", "c", "h3"]);
    const line = ["h1", "lan lan", "a", "b", "c", "h3"].map((id) => drawing.places.find((p) => p.id === id)!);
    expect(new Set(line.map((p) => p.y)).size).toBe(1);
    expect(line.map((p) => p.x)).toEqual([...line.map((p) => p.x)].sort((x, y) => x - y));
  });

  it("places everything exactly once, and nothing on top of anything else", () => {
    for (const way of [[], ["a", "b"], ["h3", "c", "b", "d"]]) {
      const { places } = layOutMap(data, way);
      expect(places.map((p) => p.id).sort()).toEqual(["a", "b", "c", "d", "h1", "h2", "h3", "lan lan", "lost"]);
      const seen = new Set(places.map((p) => `${Math.round(p.x)} ${Math.round(p.y)}`));
      expect(seen.size).toBe(places.length);
    }
  });

  it("draws a routing instance beside its device", () => {
    const divided = network(["a", "a/shops", "h1"], [link(null, "a/shops", "h1")]);
    const drawing = layOutMap(divided, []);
    expect(drawing.wires.filter((wire) => wire.inside).map((wire) => [wire.from, wire.to])).toEqual([["a", "a/shops"]]);
    // One whose own links are all in instances is not drawn, and neither is a wire to it.
    const bare = { ...divided, nodes: divided.nodes.filter((node) => node.name !== "a") };
    expect(layOutMap(bare, []).wires.filter((wire) => wire.inside)).toEqual([]);
  });

  it("keeps every place inside the drawing", () => {
    const drawing = layOutMap(data, []);
    for (const place of drawing.places) {
      expect(place.x).toBeGreaterThan(0);
      expect(place.x).toBeLessThan(drawing.width);
      expect(place.y).toBeGreaterThan(0);
      expect(place.y).toBeLessThan(drawing.height);
    }
  });
});

describe("what one sees of a map first", () => {
  const box = { width: 1000, height: 600 };
  it("is all of it, if it can be read", () => {
    expect(readable({ width: 900, height: 500 }, box, { x: 0, y: 0 })).toEqual({ x: 0, y: 0, scale: 1 });
  });
  it("is full size around what matters, and nothing beyond the edges", () => {
    const drawing = { width: 4000, height: 1200 };
    const seen = (at: { x: number; y: number }) => {
      const view = readable(drawing, box, at);
      // The picture is as wide as its box at full size, and lies within the drawing.
      expect((view.scale * Math.min(box.width / drawing.width, box.height / drawing.height))).toBeCloseTo(1);
      const middle = { x: view.x + drawing.width / view.scale / 2, y: view.y + drawing.height / view.scale / 2 };
      return middle;
    };
    expect(seen({ x: 2000, y: 600 })).toEqual({ x: 2000, y: 600 });
    expect(seen({ x: 0, y: 0 })).toEqual({ x: 500, y: 300 });
    expect(seen({ x: 4000, y: 1200 })).toEqual({ x: 3500, y: 900 });
  });
});
