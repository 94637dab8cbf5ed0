import type { Shapes } from "../api/client";

export type Verdict = Shapes["LegShape"]["verdict"];
export type Route = Shapes["LesserRouteShape"];

/** How a leg ends, in the words of the screens. */
export const VERDICT_WORDS: Record<Verdict, string> = {
  delivered: "delivered",
  "no-route": "no route",
  discarded: "discarded",
  rejected: "rejected",
  "next-hop-unresolved": "next hop unresolved",
  "next-hop-silent": "next hop silent",
  "interface-down": "interface down",
  "not-forwarding": "not forwarding",
  filtered: "filtered",
  refused: "refused",
  "wrong-segment": "wrong segment",
  "not-translated-back": "not translated back",
  loop: "loop",
  "hop-limit": "hop limit spent",
  "too-big": "too big",
  "wrong-host": "wrong host",
  "no-source": "no source address",
  "name-unknown": "name unknown",
  unknown: "unknown",
};

export type Protocol = Shapes["Protocol"];

let protocols: Protocol[] = [];

/** The routing protocols that the server computes, as the session lists them. */
export function setProtocols(found: Protocol[]): void {
  protocols = found;
}

/** What a protocol is called, for one address family if that is given. */
export function protocolName(name: string, family?: "ipv4" | "ipv6"): string {
  const found = protocols.find((protocol) => protocol.name === name);
  if (!found) return name === "local" ? "own address" : name;
  return family ? found[family] : found.title;
}

export function protocolWords(route: Pick<Route, "protocol" | "type">): string {
  const name = protocolName(route.protocol);
  return route.type ? `${name}, ${route.type}` : name;
}

export function hopWords(hop: Shapes["NextHopShape"]): string {
  if (hop.action === "discard") return "discard";
  if (hop.action === "reject") return "reject";
  if (hop.action === "deliver") return `here, on ${hop.interface ?? ""}`;
  if (hop.address && hop.interface) return `${hop.address} on ${hop.interface}`;
  return hop.address ?? `on ${hop.interface ?? "?"}`;
}

export const WORKS_WORDS: Record<"yes" | "no" | "partly" | "unknown", string> = {
  yes: "works",
  no: "fails",
  partly: "only partly",
  unknown: "not certain",
};

export function many(count: number, one: string, more = `${one}s`): string {
  return `${count} ${count === 1 ? one : more}`;
}

export function when(iso: string | null | undefined): string {
  if (!iso) return "time not given";
  return new Intl.DateTimeFormat("en-GB", {
    weekday: "short",
    day: "numeric",
    month: "short",
    year: "numeric",
    hour: "2-digit",
    minute: "2-digit",
    timeZone: "UTC",
  }).format(new Date(iso));
}
