"""Random networks of static routes: mostly right, with all kinds of odd lines in them."""

from __future__ import annotations

import random
from dataclasses import dataclass, field


@dataclass
class Made:
    """A network as text: what each router is given, what each host is set to, the cables."""

    routers: dict[str, str] = field(default_factory=dict)
    hosts: dict[str, list[str]] = field(default_factory=dict)
    links: list[tuple[str, str, str, str]] = field(default_factory=list)


def make(seed: int, family: int = 4) -> Made:
    """One random network; the same seed gives the same network."""
    rng = random.Random(seed)
    count = rng.randint(4, 6)
    names = [f"r{i}" for i in range(count)]
    ports: dict[str, list[tuple[str, str]]] = {name: [] for name in names}
    near: dict[str, list[tuple[str, str, str]]] = {name: [] for name in names}
    made = Made()
    pairs = [(names[rng.randrange(i)], names[i]) for i in range(1, count)]
    for _ in range(rng.randint(1, 3)):
        a, b = rng.sample(names, 2)
        if (a, b) not in pairs and (b, a) not in pairs:
            pairs.append((a, b))
    number = dict.fromkeys(names, 0)

    def port(name: str) -> str:
        number[name] += 1
        return f"eth{number[name]}"

    def net(kind: int, i: int) -> tuple[str, str, str, int]:
        """(network, first address, second address, length)"""
        if family == 4:
            if kind == 0:
                return f"10.64.0.{4 * i}", f"10.64.0.{4 * i + 1}", f"10.64.0.{4 * i + 2}", 30
            return f"10.64.{10 + i}.0", f"10.64.{10 + i}.1", f"10.64.{10 + i}.20", 24
        base = f"fd00:64:{kind}:{i + 1:x}"
        return f"{base}::", f"{base}::1", f"{base}::2", 64

    for i, (a, b) in enumerate(pairs):
        network, first, second, length = net(0, i)
        ap, bp = port(a), port(b)
        ports[a].append((ap, f"{first}/{length}"))
        ports[b].append((bp, f"{second}/{length}"))
        near[a].append((b, second, ap))
        near[b].append((a, first, bp))
        made.links.append((a, ap, b, bp))
    prefixes: dict[str, list[str]] = {}
    for i, name in enumerate(names):
        loop = f"10.64.255.{i + 1}/32" if family == 4 else f"fd00:64:ff::{i + 1}/128"
        ports[name].append(("lo", loop))
        prefixes[name] = [loop]
        network, first, second, length = net(1, i)
        lan = port(name)
        ports[name].append((lan, f"{first}/{length}"))
        prefixes[name].append(f"{network}/{length}")
        host = f"h{i}"
        made.links.append((host, "eth0", name, lan))
        made.hosts[host] = [
            f"addr add {second}/{length} dev eth0" + (" nodad" if family == 6 else ""),
            f"route add default via {first} dev eth0",
        ]

    def toward(start: str, goal: str) -> list[tuple[str, str, str]]:
        """Neighbours of `start` that are nearer to `goal`."""
        distance = {goal: 0}
        queue = [goal]
        for here in queue:
            for other, _, _ in near[here]:
                if other not in distance:
                    distance[other] = distance[here] + 1
                    queue.append(other)
        return [n for n in near[start] if distance[n[0]] < distance[start]]

    word = "ip" if family == 4 else "ipv6"
    default = "0.0.0.0/0" if family == 4 else "::/0"
    for name in names:
        lines: list[str] = []
        for goal in names:
            if goal == name:
                continue
            ways = toward(name, goal)
            for prefix in prefixes[goal]:
                if rng.random() < 0.08:
                    continue
                way = rng.choice(ways)
                lines.append(f"{word} route {prefix} {way[1]}")
                if len(ways) > 1 and rng.random() < 0.5:
                    lines += [f"{word} route {prefix} {w[1]}" for w in ways if w != way]
        for _ in range(rng.randint(1, 4)):
            lines.append(_odd(rng, name, names, near, prefixes, ports, word, default, family))
        text = [
            "!",
            "frr version 8.4.4",
            "frr defaults traditional",
            f"hostname {name}",
            "!",
            *dict.fromkeys(line for line in lines if line),
            "!",
        ]
        for port_name, address in ports[name]:
            text += [f"interface {port_name}", f" {word} address {address}"]
            if port_name != "lo" and rng.random() < 0.05:
                text.append(" shutdown")
            text += ["exit", "!"]
        made.routers[name] = "\n".join([*text, "end", ""])
    return made


def _odd(rng, name, names, near, prefixes, ports, word, default, family):  # type: ignore[no-untyped-def]
    """A line that is unusual, wrong, or both."""
    other = rng.choice([n for n in names if n != name])
    prefix = rng.choice(prefixes[other])
    neighbour = rng.choice(near[name])
    port = rng.choice([p for p, _ in ports[name] if p != "lo"])
    loop = prefixes[other][0].split("/")[0]
    wide = "10.64.0.0/16" if family == 4 else "fd00:64::/32"
    own = rng.choice(ports[name])[1].split("/")[0]
    narrow = (
        prefixes[other][1].replace(".0/24", ".16/28")
        if family == 4
        else prefixes[other][1].replace("::/64", "::/72")
    )
    silent = neighbour[1].rsplit("." if family == 4 else ":", 1)[0] + (
        ".254" if family == 4 else ":fe"
    )
    kinds = [
        f"{word} route {default} {neighbour[1]}",
        f"{word} route {default} {neighbour[1]} 200",
        f"{word} route {wide} {neighbour[1]}",
        f"{word} route {wide} Null0",
        f"{word} route {prefix} {neighbour[1]} {rng.choice([5, 50, 254, 255])}",
        f"{word} route {prefix} {neighbour[1]} {neighbour[2]}",
        f"{word} route {prefix} {neighbour[1]} {port}",
        f"{word} route {prefix} {port}",
        f"{word} route {prefix} {loop}",
        f"{word} route {narrow} {loop}",
        f"{word} route {narrow} {neighbour[1]}",
        f"{word} route {narrow} {own}",
        f"{word} route {narrow} blackhole",
        f"{word} route {narrow} reject",
        f"{word} route {narrow} {silent}",
        f"{word} route {narrow} {prefixes[other][1].split('/')[0].rstrip('0') or ''}1"
        if family == 4
        else f"{word} route {narrow} {prefixes[other][1].split('/')[0]}9",
        f"{word} route {ports[name][0][1].rsplit('.', 1)[0]}.0/24 {neighbour[1]}"
        if family == 4
        else "",
        f"{word} route {prefix} eth9",
        f"{word} route {wide} {loop} tag 7",
    ]
    return rng.choice(kinds)
