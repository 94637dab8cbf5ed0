import { describe, expect, it } from "vitest";

import { wentWith } from "./SurveysPage";

const nothing = { cases: 0, evidence: 0, changes: 0, verified_elsewhere: 0, changes_of_others: 0, network: null, expectations: false };

describe("what goes with a survey", () => {
  it("says calmly that nothing does", () => {
    expect(wentWith(nothing)).toEqual(["Nothing else hangs on it."]);
  });
  it("counts, in words that fit the number", () => {
    const said = wentWith({ ...nothing, cases: 1, evidence: 2, changes: 3, network: "harbours", expectations: true });
    expect(said).toEqual([
      "1 case about it goes with it, with 2 pasted texts.",
      "3 kept changes of it go, too.",
      "It is the last survey of harbours: what was decided about that network goes, and its expectations.",
    ]);
  });
  it("says what other surveys' cases lose", () => {
    expect(wentWith({ ...nothing, verified_elsewhere: 2, changes_of_others: 1 })).toHaveLength(2);
  });
});
