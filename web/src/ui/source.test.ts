import { expect, it } from "vitest";

import { partOf } from "./SourceText";

it("finds the part of a crowded line that is meant, and leaves short lines whole", () => {
  const crowded = `[${"x".repeat(300)},"10.64.40.1/24"]`;
  const found = partOf('"10.64.40.1/24"', crowded);
  expect(found && crowded.slice(found.from, found.to)).toBe('"10.64.40.1/24"');
  expect(partOf("10.99.0.0/24", crowded)).toBeNull();
  expect(partOf("10.64.40.1/24", "ip address 10.64.40.1/24")).toBeNull();
  expect(partOf(null, crowded)).toBeNull();
});
