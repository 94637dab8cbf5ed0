import { describe, expect, it } from "vitest";

import { shortName } from "./names";

describe("a name in little room", () => {
  it("stays as it is where it fits", () => {
    expect(shortName("acc-moss-0049", 15)).toBe("acc-moss-0049");
  });

  it("keeps what tells it apart from its siblings", () => {
    const names = ["acc-kestrel-0178", "acc-kestrel-0179", "core-kestrel-0178", "acc-osprey-north-0178"];
    const short = names.map((name) => shortName(name, 14));
    expect(new Set(short).size).toBe(names.length);
    expect(short[0]).toBe("acc-kes…l-0178");
    for (const text of short) expect(text.length).toBe(14);
  });
});
