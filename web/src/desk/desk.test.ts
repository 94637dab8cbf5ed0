import { describe, expect, it } from "vitest";

import { calm } from "../findings/FindingsPage";
import { split } from "./DeskPage";

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
