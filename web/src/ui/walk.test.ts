import { describe, expect, it } from "vitest";

import { chosenCase, LEFT, readWalk, stepAt } from "./walk";

describe("the first walk", () => {
  it("is offered once: whatever stands there afterwards is no first visit", () => {
    expect(readWalk(null)).toBeNull();
    for (const text of [LEFT, "", "{", "[]", "3", '{"survey": 1}']) expect(readWalk(text)).toBe(LEFT);
    expect(readWalk('{"survey": 1, "case": 2, "step": 1}')).toEqual({ survey: 1, case: 2, step: 1 });
  });

  it("goes along a complaint that is true and not taken up", () => {
    const cases = [
      { id: 1, works: "yes", state: "reported" },
      { id: 2, works: "no", state: "confirmed" },
      { id: 3, works: "no", state: "reported", protocol: "tcp" },
      { id: 4, works: "no", state: "reported", protocol: "icmp" },
    ];
    expect(chosenCase(cases)?.id).toBe(4);
    expect(chosenCase(cases.slice(0, 3))?.id).toBe(3);
    expect(chosenCase(cases.slice(0, 2))).toBeUndefined();
  });

  it("is where its visitor is", () => {
    const walk = { survey: 2, case: 7, step: 2 as const };
    expect(stepAt(walk, "/s/2/cases/7")).toBe(2);
    expect(stepAt(walk, "/s/2/change/12")).toBe(3);
    expect(stepAt(walk, "/s/2/desk")).toBeNull();
  });
});
