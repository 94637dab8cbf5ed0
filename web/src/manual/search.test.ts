import { describe, expect, it } from "vitest";

import { anchorOf, entriesOf, found } from "./search";

const PAGES = [
  { name: "gates", title: "Gates", text: "What has to hold.\n\n| gate | holds when |\n|---|---|\n| `hello interval` | Both say hello equally often. |\n| `MTU` | Both take the same size. |" },
  { name: "surveys", title: "Surveys", text: "A survey is what was gathered.\n\n## Device or LAN\n\nA node without a folder is a **LAN** if\n- somebody says so." },
];

describe("the manual", () => {
  it("is cut into rows and headings with what they say", () => {
    const entries = entriesOf(PAGES);
    expect(entries.map((entry) => entry.anchor)).toEqual(["", "gate", "hello-interval", "mtu", "", "device-or-lan"]);
    expect(entries[2]?.says).toBe("Both say hello equally often.");
    expect(entries[5]?.says).toContain("is a LAN if somebody says so.");
  });

  it("finds what names a word before what speaks of it", () => {
    const entries = entriesOf(PAGES);
    expect(found(entries, "hello").map((entry) => entry.anchor)).toEqual(["hello-interval"]);
    expect(found(entries, "LAN node").map((entry) => entry.anchor)).toEqual(["device-or-lan"]);
    expect(found(entries, "mtu")[0]?.head).toBe("MTU");
    expect(found(entries, "  ")).toEqual([]);
    expect(found(entries, "submarine")).toEqual([]);
  });

  it("writes words as addresses", () => {
    expect(anchorOf("`next hop silent`")).toBe("next-hop-silent");
    expect(anchorOf("K values")).toBe("k-values");
  });
});
