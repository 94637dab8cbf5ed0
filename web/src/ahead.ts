import type { QueryClient } from "@tanstack/react-query";

import { casesOf, deskOf, deviceOf, devicesOf, findingsOf, mapOf, neighboursOf, pathOf } from "./api/queries";
import { packetOf, questionOf } from "./case/question";
import { later } from "./pages";

/** Asks for what a link shows: its view, if that is loaded late, and the answer it begins with. */
export function prepare(href: string, queries: QueryClient): void {
  const url = new URL(href, "http://here");
  const [, survey, place, rest] = /^\/s\/(\d+)\/(\w+)(?:\/(.+))?$/.exec(url.pathname) ?? [];
  const number = Number(survey);
  const page = { map: later.map, neighbours: later.neighbours, change: later.change, failures: later.sweep, expectations: later.expectations }[place ?? ""];
  if (page) void page().catch(() => undefined); // Whoever opens the view is told.
  if (!survey || !place) return;
  const question = place === "case" || place === "map" ? questionOf(url.searchParams) : null;
  if (question) void queries.prefetchQuery(pathOf(number, question));
  if (place === "map") void queries.prefetchQuery(mapOf(number));
  else if (place === "desk") void queries.prefetchQuery(deskOf(number));
  else if (place === "neighbours") void queries.prefetchQuery(neighboursOf(number));
  else if (place === "devices") {
    if (rest) void queries.prefetchQuery(deviceOf(number, decodeURIComponent(rest)));
    else void queries.prefetchQuery(devicesOf(number));
  } else if (place === "findings") void queries.prefetchQuery(findingsOf(number));
  else if (place === "cases" && !rest) void queries.prefetchQuery({ ...casesOf(number), staleTime: 10_000 });
  else if (place === "cases") {
    const held = queries.getQueryData(casesOf(number).queryKey);
    const found = held?.cases.find((item) => item.id === Number(rest));
    if (found) void queries.prefetchQuery(pathOf(number, packetOf({ ...found, from: found.sender, to: found.receiver })));
  }
}

const RESTS_MS = 60;

/** Whoever rests on a link, or reaches it with a key, is likely to open it: it is prepared. */
export function goAhead(page: Document, queries: QueryClient): void {
  let wait: ReturnType<typeof setTimeout> | undefined;
  const seen = (event: Event) => {
    clearTimeout(wait);
    const at = event.target instanceof Element ? event.target : null;
    // Of a row that opens as a whole, its link says what opens.
    const link = at?.closest("a[href]") ?? at?.closest("[role=row]")?.querySelector("a[href]");
    const href = link?.getAttribute("href") ?? "";
    if (!href.startsWith("/")) return;
    if (event.type === "pointerover") wait = setTimeout(() => prepare(href, queries), RESTS_MS);
    else prepare(href, queries);
  };
  page.addEventListener("pointerover", seen, { passive: true });
  page.addEventListener("pointerdown", seen, { passive: true });
  page.addEventListener("focusin", seen);
}
