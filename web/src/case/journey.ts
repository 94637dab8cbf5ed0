import type { Shapes } from "../api/client";

export type Path = Shapes["OnePathShape"];
export type Leg = Shapes["LegShape"];
export type Branch = Shapes["BranchShape"];
export type Hop = Shapes["HopShape"];
export type LegName = "outbound" | "return";

/** A device on a lane: which column it stands in, and the hop it stands for. */
export interface Station {
  column: number;
  device: string;
  hop: Hop;
  index: number;
}

export interface Lane {
  leg: LegName;
  /** Which of the leg's branches this is. */
  branch: number;
  verdict: Branch["verdict"];
  reason: string;
  stations: Station[];
  /** 0 for the lane beside the devices, higher for branches farther out. */
  level: number;
  /** The first and last station that the lane does not share with the main lane. */
  own: [number, number];
  /** The column a loop goes back to. */
  loopTo: number | null;
}

export interface Journey {
  columns: string[];
  outbound: Lane[];
  back: Lane[];
  /** Branches that are not drawn. */
  hidden: { outbound: number; back: number };
}

const DRAWN = 4;

/**
 * One order of devices for all ways: the first sequence as it is, and each further device
 * behind the one it follows in its own sequence.
 */
export function mergeOrder(sequences: string[][]): string[] {
  const order: string[] = [];
  for (const sequence of sequences) {
    sequence.forEach((device, position) => {
      if (order.includes(device)) return;
      const before = sequence.slice(0, position).findLast((item) => order.includes(item));
      if (before !== undefined) {
        order.splice(order.indexOf(before) + 1, 0, device);
        return;
      }
      const after = sequence.slice(position + 1).find((item) => order.includes(item));
      order.splice(after === undefined ? order.length : order.indexOf(after), 0, device);
    });
  }
  return order;
}

/** The branch drawn beside the devices: one that arrives, else the one that decides. */
export function mainBranch(leg: Leg): number {
  const arrives = leg.branches.findIndex((branch) => branch.verdict === "delivered");
  if (arrives >= 0) return arrives;
  const decides = leg.branches.findIndex((branch) => branch.verdict === leg.verdict);
  return Math.max(decides, 0);
}

function devices(branch: Branch | undefined): string[] {
  return branch ? branch.hops.map((hop) => hop.device) : [];
}

function ordered(leg: Leg | null): Branch[] {
  if (!leg) return [];
  const main = mainBranch(leg);
  return [leg.branches[main] as Branch, ...leg.branches.filter((_, i) => i !== main)];
}

/** Lays both legs over one row of devices. */
export function layOut(path: Path): Journey {
  const outbound = ordered(path.outbound);
  const back = ordered(path.return);
  const start = path.from.device ?? "";
  // Whoever takes it in the end may be another than who has the address that was asked.
  const taken = outbound[0]?.verdict === "delivered" ? outbound[0].hops.at(-1)?.device : undefined;
  const end = taken ?? path.to.device ?? null;
  const forward = devices(outbound[0]);
  const reversed = (branch: Branch | undefined) => devices(branch).reverse();
  // The return's main way first where the request got nowhere: it then knows more devices.
  const frame = mergeOrder([
    forward,
    ...(end && forward.at(-1) !== end ? [[...forward, end]] : []),
    reversed(back[0]),
    ...outbound.slice(1, DRAWN).map(devices),
    ...back.slice(1, DRAWN).map(reversed),
  ]);
  const middle = frame.filter((device) => device !== start && device !== end);
  const columns = [start, ...middle, ...(end && end !== start ? [end] : [])].filter(Boolean);
  return {
    columns,
    outbound: lanes("outbound", path.outbound, columns),
    back: path.return ? lanes("return", path.return, columns) : [],
    hidden: {
      outbound: Math.max(0, path.outbound.branch_count - DRAWN),
      back: Math.max(0, (path.return?.branch_count ?? 0) - DRAWN),
    },
  };
}

function lanes(name: LegName, leg: Leg, columns: string[]): Lane[] {
  const main = mainBranch(leg);
  const order = [main, ...leg.branches.map((_, i) => i).filter((i) => i !== main)].slice(0, DRAWN);
  const out: Lane[] = [];
  for (const branch of order) {
    const data = leg.branches[branch] as Branch;
    const stations = data.hops.map((hop, index) => ({
      column: columns.indexOf(hop.device),
      device: hop.device,
      hop,
      index,
    }));
    const loopStart = data.loop?.[0];
    out.push({
      leg: name,
      branch,
      verdict: data.verdict,
      reason: data.reason,
      stations,
      level: out.length,
      own: out[0] ? apart(out[0].stations, stations) : [0, stations.length - 1],
      loopTo: loopStart === undefined ? null : columns.indexOf(loopStart),
    });
  }
  return out;
}

/** The stretch of a branch that differs from the main lane. */
function apart(main: Station[], branch: Station[]): [number, number] {
  let first = 0;
  while (
    first < branch.length - 1 && first < main.length &&
    main[first]?.device === branch[first]?.device &&
    main[first]?.hop.out === branch[first]?.hop.out &&
    main[first]?.hop.next_hop === branch[first]?.hop.next_hop
  ) {
    first += 1;
  }
  let last = branch.length - 1;
  let at = main.length - 1;
  while (last > first && at > 0 && main[at]?.device === branch[last]?.device) {
    last -= 1;
    at -= 1;
  }
  return [first, last];
}

/** Where the eye should go first: the hop where a leg dies, the outbound one before the return. */
export function firstSelection(path: Path): HopKey {
  for (const [leg, name] of [[path.outbound, "outbound"], [path.return, "return"]] as const) {
    if (leg && leg.verdict !== "delivered") {
      const branch = Math.max(leg.branches.findIndex((b) => b.verdict === leg.verdict), 0);
      return { leg: name, branch, index: (leg.branches[branch]?.hops.length ?? 1) - 1 };
    }
  }
  const hops = path.outbound.branches[0]?.hops.length ?? 1;
  return { leg: "outbound", branch: mainBranch(path.outbound), index: Math.min(1, hops - 1) };
}

/** One hop of one branch of one leg; as text it stands in the URL. */
export interface HopKey {
  leg: LegName;
  branch: number;
  index: number;
}

export function hopText(key: HopKey): string {
  return `${key.leg === "outbound" ? "o" : "r"}${key.branch}.${key.index}`;
}

export function parseHop(text: string | null, path: Path): HopKey | null {
  const match = /^([or])(\d{1,3})\.(\d{1,3})$/.exec(text ?? "");
  if (!match) return null;
  const leg: LegName = match[1] === "o" ? "outbound" : "return";
  const key = { leg, branch: Number(match[2]), index: Number(match[3]) };
  return hopAt(path, key) ? key : null;
}

export function hopAt(path: Path, key: HopKey): Hop | null {
  const leg = key.leg === "outbound" ? path.outbound : path.return;
  return leg?.branches[key.branch]?.hops[key.index] ?? null;
}

/** A packet wrapped in another, and the outer packet's own journey. */
export interface Wrap {
  mode: string;
  local: string;
  remote: string;
  under: Path["outbound"] | null;
}

/** The filters that a hop's packet meets, in order. */
export function filtersOf(hop: Hop): Hop["actions"] {
  return hop.actions.filter((action) => action.do === "filter");
}

/** What a hop rewrites of the packet, in order. */
export function rewritesOf(hop: Hop): Hop["actions"] {
  return hop.actions.filter((action) => action.do === "translate");
}

/** An end as a rewrite names it: the address, with the port where that changes too. */
export function rewrittenEnd(action: Hop["actions"][number], side: "from" | "to"): string {
  const port = action.port?.[side === "from" ? 0 : 1];
  return `${action[side] ?? ""}${port === undefined ? "" : `, port ${port}`}`;
}

/** Where the packet goes when a hop looks for a route: what hops up to it put in place. */
export function targetAt(path: Path, key: HopKey): string {
  const leg = key.leg === "outbound" ? path.outbound : path.return;
  let target = (key.leg === "outbound" ? path.to.address : path.from.address) ?? "";
  const first = leg?.branches[key.branch]?.hops ?? [];
  if (key.leg === "return") {
    // An answer goes to the source that the request had in the end.
    const sent = path.outbound.branches[mainBranch(path.outbound)]?.hops ?? [];
    for (const hop of sent) for (const action of rewritesOf(hop)) if (action.what === "source") target = action.to ?? target;
  }
  for (const hop of first.slice(0, key.index + 1)) {
    for (const action of rewritesOf(hop)) if (action.what === "destination") target = action.to ?? target;
  }
  return target;
}

/** What a hop wraps the packet in, if it does. */
export function wrapOf(hop: Hop): Wrap | null {
  const found = hop.actions.find((action) => action.do === "wrap");
  return found ? (found as unknown as Wrap) : null;
}
