import type { Shapes } from "../api/client";

export type MapData = Shapes["MapShape"];

/** Something drawn: a device, or a LAN that several devices share. */
export interface Place {
  id: string;
  kind: "router" | "host" | "unread" | "lan" | "group";
  x: number;
  y: number;
  spine: boolean;
  breaks: number;
}

export interface Wire {
  from: string;
  to: string;
  link: number;
  up: boolean;
  label: string;
  /** A routing instance and its device: no cable. */
  inside?: boolean;
}

export interface Drawing {
  places: Place[];
  wires: Wire[];
  width: number;
  height: number;
}

export const COLUMN = 132;
export const ROW = 84;
const STACK = 34;

interface Graph {
  kinds: Map<string, Place["kind"]>;
  near: Map<string, string[]>;
  wires: Wire[];
}

/** LANs, and links of more than two ends, become places of their own between their members. */
export function graphOf(data: MapData): Graph {
  const kinds = new Map<string, Place["kind"]>();
  const near = new Map<string, string[]>();
  const wires: Wire[] = [];
  for (const node of data.nodes) {
    const role = node.role;
    kinds.set(node.name, role === "host" || role === "unread" || role === "group" ? role : "router");
    near.set(node.name, []);
  }
  const join = (a: string, b: string) => {
    near.get(a)?.push(b);
    near.get(b)?.push(a);
  };
  for (const node of data.nodes) {
    if (node.chassis === null || !near.has(node.chassis)) continue;
    wires.push({ from: node.chassis, to: node.name, link: -1, up: true, label: `${node.name} is a routing instance of ${node.chassis}`, inside: true });
    join(node.chassis, node.name);
  }
  data.links.forEach((link, index) => {
    const label = link.ends.map((end) => `${end.device} ${end.interface}`).join(" – ");
    const [left, right] = link.ends;
    if (link.lan === null && left && right && link.ends.length === 2) {
      wires.push({ from: left.device, to: right.device, link: index, up: link.up, label });
      join(left.device, right.device);
    } else if (link.ends.length > 1 || link.lan !== null) {
      const lan = `lan ${link.lan ?? index}`;
      kinds.set(lan, "lan");
      near.set(lan, []);
      for (const end of link.ends) {
        if (!near.has(end.device)) continue;
        wires.push({ from: lan, to: end.device, link: index, up: end.up, label: `${end.device} ${end.interface}` });
        join(lan, end.device);
      }
    }
  });
  return { kinds, near, wires };
}

function distances(graph: Graph, start: string): Map<string, number> {
  const found = new Map([[start, 0]]);
  const queue = [start];
  for (let at = 0; at < queue.length; at += 1) {
    const here = queue[at] as string;
    for (const next of graph.near.get(here) ?? []) {
      if (!found.has(next)) {
        found.set(next, (found.get(here) ?? 0) + 1);
        queue.push(next);
      }
    }
  }
  return found;
}

function shortest(graph: Graph, from: string, to: string): string[] {
  const back = distances(graph, to);
  if (!back.has(from)) return [from];
  const out = [from];
  while (out.at(-1) !== to) {
    const here = out.at(-1) as string;
    const next = [...(graph.near.get(here) ?? [])]
      .sort()
      .find((item) => (back.get(item) ?? Infinity) < (back.get(here) ?? Infinity));
    if (next === undefined) break;
    out.push(next);
  }
  return out;
}

/** Without a case the longest way between routers carries the drawing. */
function longestWay(graph: Graph): string[] {
  const routers = [...graph.kinds].filter(([, kind]) => kind === "router" || kind === "group").map(([name]) => name).sort();
  let best: string[] = [];
  for (const start of routers) {
    const far = distances(graph, start);
    for (const end of routers) {
      if (start < end && (far.get(end) ?? -1) + 1 > best.length) best = shortest(graph, start, end);
    }
  }
  return best.length ? best : routers.slice(0, 1);
}

/** The devices of a case as one way through the graph, LANs filled in where they lie between. */
export function spineOf(graph: Graph, way: string[]): string[] {
  const out: string[] = [];
  for (const device of way) {
    if (!graph.near.has(device) || out.includes(device)) continue;
    const last = out.at(-1);
    if (last === undefined) out.push(device);
    else {
      for (const step of shortest(graph, last, device).slice(1)) {
        if (!out.includes(step)) out.push(step);
      }
      if (!out.includes(device)) out.push(device);
    }
  }
  return out;
}

interface Tree {
  id: string;
  children: Tree[];
  width: number;
  stacked: boolean;
}

const BETWEEN = { x: 22, y: 16 };
const TALL = 46;

/** One group that joins all others, which join none: those stand around it. None if it is not so. */
function ring(data: MapData, graph: Graph, wide: number): Drawing | null {
  const slot = { x: wide + BETWEEN.x, y: TALL + BETWEEN.y };
  const names = [...graph.kinds.keys()];
  if (names.length < 9 || names.some((name) => graph.kinds.get(name) !== "group")) return null;
  const hub = [...names].sort((a, b) => (graph.near.get(b)?.length ?? 0) - (graph.near.get(a)?.length ?? 0))[0] as string;
  if (graph.wires.some((wire) => wire.from !== hub && wire.to !== hub)) return null;
  const around = names.filter((name) => name !== hub).sort((a, b) => a.localeCompare(b, undefined, { numeric: true }));
  let [columns, rows] = [around.length, 0];
  const shape = (c: number, r: number) => Math.abs(Math.log((c * slot.x) / ((r + 2) * slot.y) / 1.8));
  for (let c = 1; c <= around.length; c += 1) {
    const r = Math.max(1, Math.ceil((around.length - 2 * c) / 2));
    if (shape(c, r) < shape(columns, rows)) [columns, rows] = [c, r];
  }
  const slots: { x: number; y: number }[] = [];
  for (let i = 0; i < columns; i += 1) slots.push({ x: i + 1, y: 0 });
  for (let i = 0; i < rows; i += 1) slots.push({ x: columns + 1, y: i + 1 });
  for (let i = columns; i > 0; i -= 1) slots.push({ x: i, y: rows + 1 });
  for (let i = rows; i > 0; i -= 1) slots.push({ x: 0, y: i });
  const breaks = new Map(data.nodes.map((node) => [node.name, node.breaks]));
  const put = (id: string, x: number, y: number): Place => ({
    id, kind: "group", x: (x + 0.5) * slot.x, y: (y + 0.5) * slot.y + 20, spine: false, breaks: breaks.get(id) ?? 0,
  });
  // Slots that are left over stay free evenly, not all at the end.
  const places = around.map((id, i) => {
    const at = slots[Math.floor((i * slots.length) / around.length)] as { x: number; y: number };
    return put(id, at.x, at.y);
  });
  places.push(put(hub, (columns + 1) / 2, (rows + 1) / 2));
  return { places, wires: graph.wires, width: (columns + 2) * slot.x, height: (rows + 2) * slot.y + 40 };
}

/**
 * The spine as a straight line, everything else hung above and below it by distance.
 *
 * @param wide how wide the widest group is, if there are any
 */
export function layOutMap(data: MapData, way: string[], wide = 0): Drawing {
  const graph = graphOf(data);
  const star = way.length ? null : ring(data, graph, wide);
  if (star) return star;
  const column = Math.max(COLUMN, wide + BETWEEN.x);
  const spine = way.length ? spineOf(graph, way) : longestWay(graph);
  const placed = new Set(spine);
  const parent = new Map<string, string>();
  const queue = [...spine];
  for (let at = 0; at < queue.length; at += 1) {
    const here = queue[at] as string;
    for (const next of [...(graph.near.get(here) ?? [])].sort()) {
      if (placed.has(next)) continue;
      placed.add(next);
      parent.set(next, here);
      queue.push(next);
    }
  }
  const children = new Map<string, string[]>();
  for (const [child, above] of parent) children.set(above, [...(children.get(above) ?? []), child]);
  const build = (id: string): Tree => {
    const kids = (children.get(id) ?? []).map(build);
    const leaves = kids.every((kid) => kid.children.length === 0);
    // Groups side by side: one above the other they would look like a chain.
    const stacked = kids.length > 1 && leaves && !kids.some((kid) => graph.kinds.get(kid.id) === "group");
    const width = stacked || kids.length === 0 ? 1 : kids.reduce((sum, kid) => sum + kid.width, 0);
    return { id, children: kids, width, stacked };
  };

  const places: Place[] = [];
  const breaks = new Map(data.nodes.map((node) => [node.name, node.breaks]));
  const put = (id: string, x: number, y: number) =>
    places.push({ id, kind: graph.kinds.get(id) ?? "router", x, y, spine: spine.includes(id), breaks: breaks.get(id) ?? 0 });

  const hang = (tree: Tree, left: number, y: number, side: number) => {
    const x = left + ((tree.width - 1) * column) / 2;
    put(tree.id, x, y);
    if (tree.stacked) {
      tree.children.forEach((kid, index) => put(kid.id, x, y + side * (ROW * 0.72 + index * STACK)));
      return;
    }
    let at = left;
    for (const kid of tree.children) {
      hang(kid, at, y + side * ROW, side);
      at += kid.width * column;
    }
  };

  let x = 0;
  for (const id of spine) {
    const tree = build(id);
    // Wide branches first, each to the side that is shorter so far.
    const sides: [Tree[], Tree[]] = [[], []];
    const used: [number, number] = [0, 0];
    for (const kid of [...tree.children].sort((a, b) => b.width - a.width || a.id.localeCompare(b.id))) {
      const side = used[0] <= used[1] ? 0 : 1;
      sides[side].push(kid);
      used[side] += kid.width;
    }
    const width = Math.max(1, ...used);
    const centre = x + ((width - 1) * column) / 2;
    put(id, centre, 0);
    ([0, 1] as const).forEach((side) => {
      let at = x + ((width - used[side]) * column) / 2;
      for (const kid of sides[side]) {
        hang(kid, at, (side === 0 ? -1 : 1) * ROW, side === 0 ? -1 : 1);
        at += kid.width * column;
      }
    });
    x += width * column;
  }
  // What no link reaches stands below, in rows.
  const rest = [...graph.near.keys()].filter((id) => !placed.has(id)).sort();
  const bottom = Math.max(0, ...places.map((place) => place.y)) + ROW;
  const perRow = Math.max(4, Math.floor(x / column));
  rest.forEach((id, index) => put(id, (index % perRow) * column, bottom + Math.floor(index / perRow) * ROW * 0.6));

  const minX = Math.min(...places.map((p) => p.x));
  const minY = Math.min(...places.map((p) => p.y));
  const margin = { x: COLUMN * 0.55, y: 46 };
  for (const place of places) {
    place.x += margin.x - minX;
    place.y += margin.y - minY;
  }
  return {
    places,
    wires: graph.wires,
    width: Math.max(...places.map((p) => p.x), 0) + margin.x,
    height: Math.max(...places.map((p) => p.y), 0) + margin.y,
  };
}

/** Pixels per unit of the drawing at which its smallest words have 11. */
const READABLE = 1;

/**
 * The part of a drawing that one sees first: all of it where its words can be read then, else as
 * much as fits at full size around a place.
 */
export function readable(
  drawing: { width: number; height: number }, box: { width: number; height: number }, focus: { x: number; y: number },
): { x: number; y: number; scale: number } {
  const fit = Math.min(box.width / drawing.width, box.height / drawing.height);
  if (fit >= READABLE) return { x: 0, y: 0, scale: 1 };
  const scale = READABLE / fit;
  const [width, height] = [drawing.width / scale, drawing.height / scale];
  // What is beyond the edges of the drawing is not worth the room.
  const [seenX, seenY] = [box.width / READABLE, box.height / READABLE];
  const keep = (at: number, seen: number, part: number, whole: number) =>
    (seen >= whole ? whole / 2 : Math.min(Math.max(at, seen / 2), whole - seen / 2)) - part / 2;
  return { scale, x: keep(focus.x, seenX, width, drawing.width), y: keep(focus.y, seenY, height, drawing.height) };
}
