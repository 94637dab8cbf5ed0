import { describe, expect, it } from "vitest";

import { packetOf, questionOf, queryOf, serviceText } from "./question";

describe("the packet that is asked about", () => {
  const whole = { from: "h1", to: "h2", source: "10.64.1.9", protocol: "tcp" as const, port: 443, size: 1400, dont_fragment: true };

  it("survives the way through a URL", () => {
    expect(questionOf(queryOf(whole))).toEqual(whole);
    expect(questionOf(new URLSearchParams("from=h1&to=h2"))).toEqual({ from: "h1", to: "h2" });
    expect(questionOf(new URLSearchParams("from=h1"))).toBeNull();
  });

  it("is the same from a stored case", () => {
    expect(packetOf({ ...whole, source: whole.source })).toEqual(whole);
    expect(packetOf({ from: "h1", to: "h2", source: "", protocol: "icmp", port: null, size: 0, dont_fragment: false })).toEqual({ from: "h1", to: "h2" });
  });

  it("keeps that it may not be cut up without a size", () => {
    expect(packetOf({ from: "h1", to: "h2", dont_fragment: true })).toEqual({ from: "h1", to: "h2", dont_fragment: true });
  });

  it("says its service as the server reads it", () => {
    expect(serviceText(whole)).toBe("tcp/443");
    expect(serviceText({ from: "h1", to: "h2" })).toBe("");
    expect(serviceText(null)).toBe("");
  });
});
