import { describe, expect, it } from "vitest";

import { calm } from "../findings/FindingsPage";
import { split } from "./DeskPage";
import { editsOf, pairsOf, stacks } from "./stacks";

describe("a group of failing pairs", () => {
  it("is a sentence about who, and one about why that keeps names as they are", () => {
    expect(split({ summary: "4 pairs fail between ant and bee: heron ge1 is shut down, and 3 routes need it." })).toEqual([
      "4 pairs fail between ant and bee.",
      "heron ge1 is shut down, and 3 routes need it.",
    ]);
    expect(split({ summary: "Something ends." })).toEqual(["", "Something ends."]);
  });
});

describe("no finding", () => {
  it("says no more than what was read allows", () => {
    expect(calm([{ role: "router" }])).toContain("the one device that was read");
    expect(calm([{ role: "router" }, { role: "host" }, { role: "unread" }])).toContain("the 1 that could not be read");
    expect(calm([{ role: "router" }, { role: "host" }])).toContain("on the 2 devices fits together");
  });
});

describe("causes of one kind at one device", () => {
  const group = (kind: string, device: string, pairs: number, more = 0) => ({
    pairs, causes: kind ? [{ kind, device }, ...Array.from({ length: more }, () => ({ kind: "other", device: "hub" }))] : [],
  }) as never;

  it("lie upon each other from three on, where all their pairs together belong", () => {
    const rows = stacks([
      group("shut", "heron", 9), group("route-missing", "yard", 4), group("route-missing", "mole", 4), group("route-missing", "yard", 4),
      group("route-missing", "yard", 4), group("route-missing", "mole", 2), group("", "", 20),
    ]);
    expect(rows.map((row) => [row.length, pairsOf(row)])).toEqual([[3, 12], [1, 9], [1, 4], [1, 2], [1, 20]]);
  });

  it("are mended together, with what several ask for once", () => {
    const edit = (line: string) => ({ device: "yard", file: "frr.conf", context: [], remove: [], add: [line] });
    const asks = (...lines: string[]) => ({ pairs: 1, causes: [{ kind: "x", device: "yard", remedy: { edits: lines.map(edit) } }] }) as never;
    expect(editsOf([asks("a", "b"), asks("b", "c"), { pairs: 1, causes: [{ remedy: null }] } as never])).toEqual([edit("a"), edit("b"), edit("c")]);
  });

  it("stay apart where several faults hide behind each other", () => {
    const hidden = group("route-missing", "yard", 4, 1);
    expect(stacks([hidden, hidden, hidden])).toHaveLength(3);
  });
});
