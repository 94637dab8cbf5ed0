import { QueryClient } from "@tanstack/react-query";
import { afterEach, beforeEach, expect, it, vi } from "vitest";

import { goAhead, prepare } from "./ahead";
import { casesOf } from "./api/queries";

vi.mock("./pages", () => ({ later: { map: vi.fn(() => Promise.resolve()), neighbours: vi.fn(() => Promise.resolve()) } }));

let asked: unknown[][];
let queries: QueryClient;

beforeEach(() => {
  vi.useFakeTimers();
  asked = [];
  queries = new QueryClient();
  queries.prefetchQuery = ((options: { queryKey: unknown[] }) => { asked.push([...options.queryKey]); return Promise.resolve(); }) as never;
});
afterEach(() => vi.useRealTimers());

it("asks for the journey of a case before it is opened", () => {
  const held = { cases: [{ id: 7, sender: "gull-kiosk", receiver: "booking-db", protocol: "tcp", port: 443 }] };
  queries.setQueryData(casesOf(3).queryKey, held as never);
  prepare("/s/3/cases/7", queries);
  expect(asked).toEqual([["path", 3, { from: "gull-kiosk", to: "booking-db", protocol: "tcp", port: 443 }]]);
  prepare("/s/3/cases/8", queries);
  expect(asked).toHaveLength(1);
});

it("asks for what a view begins with", () => {
  prepare("/s/3/case?from=a&to=b", queries);
  prepare("/s/3/devices/hub/one?file=x", queries);
  prepare("/s/3/findings", queries);
  prepare("/surveys", queries);
  expect(asked).toEqual([["path", 3, { from: "a", to: "b" }], ["device", 3, "hub/one"], ["findings", 3]]);
});

it("waits until the pointer rests, and takes a row's own link", () => {
  document.body.innerHTML = `<div role="row"><a href="/s/3/neighbours">x</a><b id="b">y</b></div><i id="i"></i>`;
  goAhead(document, queries);
  const over = (id: string) => document.getElementById(id)?.dispatchEvent(new Event("pointerover", { bubbles: true }));
  over("b");
  over("i");
  vi.advanceTimersByTime(500);
  expect(asked).toEqual([]);
  over("b");
  vi.advanceTimersByTime(500);
  expect(asked).toEqual([["neighbours", 3]]);
});
