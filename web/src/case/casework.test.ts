import { describe, expect, it } from "vitest";

import { turnedWords } from "./CaseWork";

describe("what became of a complaint on a newer survey", () => {
  it("says what turned", () => {
    expect(turnedWords("no", "yes")).toBe("it works now, and failed then");
    expect(turnedWords("yes", "no")).toBe("it fails now, and worked then");
    expect(turnedWords("no", "unknown")).toBe("it is not certain now, and failed then");
    expect(turnedWords("unknown", "partly")).toBe("it works for some flows only now, and was not certain then");
  });

  it("says that nothing did", () => {
    expect(turnedWords("no", "no")).toBe("it still fails");
    expect(turnedWords("yes", "yes")).toBe("it works, then and now");
  });
});
