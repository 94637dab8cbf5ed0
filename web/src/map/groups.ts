import type { MapData } from "./layout";

/** More devices than this are drawn in groups first: single ones could not be read. */
export const CROWD = 60;

export interface Grouped {
  data: MapData;
  /** Per group that is drawn as one: what is inside. */
  inside: Map<string, Inside>;
  /** Per link of `data` between two groups, or a group and a device: what it stands for. */
  bundles: Map<number, Bundle>;
}

export interface Inside {
  routers: number;
  hosts: number;
  breaks: number;
  unread: number;
}

export interface Bundle {
  links: number;
  down: number;
  /** True if nothing else joins what lies on both sides. */
  only: boolean;
}

/** The id of a group on the map; a device is never called so. */
export const groupId = (name: string) => `group ${name}`;

/** What is inside a group, in words. */
export function contents(inside: Inside): string {
  const count = (number: number, one: string, many: string) => (number ? `${number} ${number === 1 ? one : many}` : "");
  return [count(inside.routers, "router", "routers"), count(inside.hosts, "host", "hosts"), inside.unread ? `${inside.unread} not read` : ""].filter(Boolean).join(", ");
}

/** How wide a group is drawn, so that both its lines fit. */
export function widthOf(id: string, inside: Inside | undefined): number {
  const name = Math.min(20, id.length - groupId("").length);
  return Math.max(96, name * 7.6 + 22, (inside ? contents(inside).length : 0) * 6.1 + 20);
}

/** The grouping to begin with: none where every device can be read. */
export function usual(data: MapData): string | null {
  return data.nodes.length > CROWD ? (data.groupings[0]?.by ?? null) : null;
}

/**
 * The network with its closed groups drawn as one each.
 *
 * @param by the grouping
 * @param open the groups whose members are drawn
 * @param kept devices that are drawn in any case, such as those of a journey
 */
export function grouped(data: MapData, by: string, open: ReadonlySet<string>, kept: ReadonlySet<string>): Grouped {
  const place = new Map<string, string>();
  const inside = new Map<string, Inside>();
  const nodes: MapData["nodes"] = [];
  for (const node of data.nodes) {
    const group = node.groups[by];
    if (group === undefined || open.has(group) || kept.has(node.name)) {
      place.set(node.name, node.name);
      nodes.push(node);
      continue;
    }
    place.set(node.name, groupId(group));
    const held = inside.get(groupId(group)) ?? { routers: 0, hosts: 0, breaks: 0, unread: 0 };
    held[node.role === "host" ? "hosts" : node.role === "unread" ? "unread" : "routers"] += 1;
    held.breaks += node.breaks;
    inside.set(groupId(group), held);
  }
  for (const [name, held] of inside) {
    nodes.push({ name, role: "group", breaks: held.breaks, chassis: null, groups: {} });
  }
  const links: MapData["links"] = [];
  const merged = new Map<string, { link: MapData["links"][number]; links: number; down: number }>();
  for (const link of data.links) {
    const ends = link.ends.map((end) => ({ ...end, device: place.get(end.device) ?? end.device }));
    const met = [...new Set(ends.map((end) => end.device))];
    const groups = met.filter((name) => inside.has(name));
    if (met.length === 1 && groups.length) continue; // inside a group
    if (!groups.length) {
      links.push(link);
      continue;
    }
    const key = met.sort().join("\n");
    const held = merged.get(key);
    if (held) {
      held.links += 1;
      held.down += link.up ? 0 : 1;
      continue;
    }
    const shown = met.map((name) => ends.find((end) => end.device === name)).filter((end) => end !== undefined);
    merged.set(key, { link: { ...link, ends: shown, lan: met.length > 2 ? link.lan : null }, links: 1, down: link.up ? 0 : 1 });
  }
  const bundles = new Map<number, Bundle>();
  for (const { link, links: count, down } of merged.values()) {
    bundles.set(links.length, { links: count, down, only: false });
    links.push({ ...link, up: down < count });
  }
  const whole = { ...data, nodes, links };
  const threads = onlyWays(whole);
  for (const [index, bundle] of bundles) bundle.only = bundle.links - bundle.down === 1 && threads.has(index);
  return { data: whole, inside, bundles };
}

/** The links without which something is cut off from the rest, by number. */
export function onlyWays(data: MapData): Set<number> {
  const near = new Map<string, { to: string; tie: number; link: number }[]>();
  let ties = 0;
  const tie = (a: string, b: string, link: number) => {
    for (const [at, to] of [[a, b], [b, a]] as const) {
      const held = near.get(at);
      if (held) held.push({ to, tie: ties, link });
      else near.set(at, [{ to, tie: ties, link }]);
    }
    ties += 1;
  };
  data.links.forEach((link, index) => {
    if (!link.up) return;
    const ends = [...new Set(link.ends.map((end) => end.device))];
    // What several share is a place of its own: from each of them a way leads to all others.
    if (ends.length === 2) tie(ends[0] as string, ends[1] as string, index);
    else if (ends.length > 2) for (const end of ends) tie(`link ${index}`, end, index);
  });
  const found = new Map<string, number>();
  const low = new Map<string, number>();
  const out = new Set<number>();
  for (const root of near.keys()) {
    if (found.has(root)) continue;
    // Without recursion: a long chain of routers is deep.
    const stack: { at: string; by: number; link: number; next: number }[] = [{ at: root, by: -1, link: -1, next: 0 }];
    found.set(root, found.size);
    low.set(root, found.get(root) as number);
    while (stack.length) {
      const top = stack[stack.length - 1] as (typeof stack)[number];
      const ways = near.get(top.at) ?? [];
      const way = ways[top.next];
      if (way) {
        top.next += 1;
        if (way.tie === top.by) continue;
        if (found.has(way.to)) {
          low.set(top.at, Math.min(low.get(top.at) as number, found.get(way.to) as number));
        } else {
          found.set(way.to, found.size);
          low.set(way.to, found.get(way.to) as number);
          stack.push({ at: way.to, by: way.tie, link: way.link, next: 0 });
        }
        continue;
      }
      stack.pop();
      const above = stack[stack.length - 1];
      if (!above) continue;
      low.set(above.at, Math.min(low.get(above.at) as number, low.get(top.at) as number));
      if ((low.get(top.at) as number) > (found.get(above.at) as number)) out.add(top.link);
    }
  }
  return out;
}
