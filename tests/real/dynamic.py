"""Random networks of routers that talk to each other, odd on purpose."""

from __future__ import annotations

import itertools
import random
from dataclasses import dataclass, field


@dataclass
class Router:
    """A router's text in the making."""

    name: str
    interfaces: dict[str, list[str]] = field(default_factory=dict)
    top: list[str] = field(default_factory=list)
    sections: dict[str, list[str]] = field(default_factory=dict)
    tail: list[str] = field(default_factory=list)
    ports: int = 0

    def port(self, *lines: str, name: str | None = None) -> str:
        """A new interface with these lines."""
        if name is None:
            self.ports += 1
            name = f"eth{self.ports}"
        self.interfaces.setdefault(name, []).extend(lines)
        return name

    def text(self) -> str:
        out = ["frr version 8.4.4", "frr defaults traditional", f"hostname {self.name}", "!"]
        out += [*self.top, "!"]
        for name, lines in self.interfaces.items():
            out += [f"interface {name}", *(f" {line}" for line in lines), "exit", "!"]
        for head, lines in self.sections.items():
            out += [head, *(f" {line}" for line in lines), "exit", "!"]
        return "\n".join([*out, *self.tail, "end", ""])


@dataclass
class Made:
    """A network ready for the lab."""

    routers: dict[str, Router] = field(default_factory=dict)
    links: list[tuple[str, str, str, str]] = field(default_factory=list)
    lans: list[str] = field(default_factory=list)
    dummies: dict[str, list[str]] = field(default_factory=dict)

    def router(self, name: str) -> Router:
        return self.routers.setdefault(name, Router(name))

    def dummy(self, name: str, *lines: str) -> str:
        port = f"dum{len(self.dummies.setdefault(name, []))}"
        self.dummies[name].append(port)
        self.router(name).port(*lines, name=port)
        return port

    def texts(self) -> dict[str, str]:
        return {name: router.text() for name, router in self.routers.items()}


def ospf(seed: int) -> Made:
    """OSPF with a backbone and two or three more areas, borders, externals and mistakes."""
    rng = random.Random(seed)
    made = Made()
    core = ["r0", "r1", "r2"]
    areas = rng.choice([[1], [1, 2], [1, 2, 3], [0, 1, 2]])
    members = {area: [f"a{area}{i}" for i in range(rng.randint(1, 2))] for area in areas if area}
    kinds = {
        area: rng.choice(["normal", "normal", "stub", "stub no-summary", "nssa", "nssa no-summary"])
        for area in members
    }
    count = 0
    by_interface = rng.random() < 0.3
    router_areas: dict[str, set[int]] = {}

    def ospf_lines(name: str, area: int, kind: str | None) -> list[str]:
        router_areas.setdefault(name, set()).add(area)
        lines = ["ip ospf hello-interval 1", "ip ospf dead-interval 4"]
        if by_interface:
            lines.append(f"ip ospf area {area}")
        if kind:
            lines.append(f"ip ospf network {kind}")
        if rng.random() < 0.4:
            lines.append(f"ip ospf cost {rng.choice([1, 5, 10, 20, 30, 100])}")
        if rng.random() < 0.06:
            lines.append(f"ip ospf priority {rng.choice([0, 0, 5])}")
        return lines

    def statement(name: str, prefix: str, area: int) -> None:
        section = made.router(name).sections.setdefault("router ospf", [])
        if not by_interface:
            section.append(f"network {prefix} area {area}")

    def connect(names: list[str], area: int) -> None:
        nonlocal count
        count += 1
        kind = rng.choice([None, "point-to-point"]) if len(names) == 2 else None
        lan = f"lan{count}" if len(names) > 2 else None
        if lan:
            made.lans.append(lan)
        length = 24 if lan else 30
        ends = []
        for index, name in enumerate(names, 1):
            chosen = kind
            if rng.random() < 0.03 and not lan:
                chosen = "point-to-point"
            if rng.random() < 0.03:
                length = 29
            lines = [f"ip address 10.{area}.{count}.{index}/{length}"]
            lines += ospf_lines(name, area, chosen)
            if rng.random() < 0.03:
                lines.append("ip ospf passive")
            if rng.random() < 0.02:
                lines.append("ip ospf hello-interval 2")
            if rng.random() < 0.02:
                lines += ["ip ospf authentication", "ip ospf authentication-key secretx"]
            port = made.router(name).port(*lines)
            ends.append((name, port))
            wrong = area + 1 if rng.random() < 0.02 else area
            statement(name, f"10.{area}.{count}.0/{30 if not lan else 24}", wrong)
        if lan:
            for index, (name, port) in enumerate(ends):
                made.links.append((name, port, lan, f"p{index}"))
        else:
            (a, ap), (b, bp) = ends
            made.links.append((a, ap, b, bp))

    if rng.random() < 0.5:
        connect(core, 0)
    else:
        connect(core[:2], 0)
        connect(core[1:], 0)
    if rng.random() < 0.4:
        connect([core[0], core[2]], 0)
    for area, names in members.items():
        for name in names:
            for border in rng.sample(core, rng.randint(1, 2)):
                connect([border, name], area)
        if len(names) > 1 and rng.random() < 0.6:
            connect(names, area)
    for number, name in enumerate(sorted(made.routers)):
        router = made.router(name)
        own = sorted(router_areas[name])
        area = rng.choice(own)
        section = router.sections.setdefault("router ospf", [])
        section.insert(0, f"ospf router-id 10.255.{rng.randint(0, 3)}.{number + 1}")
        loop = [f"ip address 10.{area}.255.{number + 1}/32"]
        if rng.random() < 0.8:
            if by_interface:
                loop.append(f"ip ospf area {area}")
            statement(name, f"10.{area}.255.{number + 1}/32", area)
        router.port(*loop, name="lo")
        for extra in range(rng.randint(0, 2)):
            octet = 100 + 10 * number + extra
            lines = [f"ip address 10.{area}.{octet}.1/24"]
            inside = rng.random() < 0.6
            if inside:
                if by_interface:
                    lines.append(f"ip ospf area {area}")
                statement(name, f"10.{area}.{octet}.0/24", area)
            if inside and rng.random() < 0.5:
                lines.append("ip ospf passive")
            made.dummy(name, *lines)
        for one in own:
            kind = kinds.get(one, "normal")
            if kind != "normal" and rng.random() < 0.98:
                word = kind
                if name not in core and "no-summary" in kind:
                    word = kind.split()[0]
                section.append(f"area {one} {word}")
                if name in core and rng.random() < 0.2 and "stub" in kind:
                    section.append(f"area {one} default-cost {rng.choice([5, 50])}")
            if name in core and one and rng.random() < 0.4:
                length, tail = rng.choice([(16, ""), (17, ""), (18, " not-advertise"), (16, "")])
                if rng.random() < 0.2:
                    tail = tail or f" cost {rng.choice([7, 70])}"
                section.append(f"area {one} range 10.{one}.0.0/{length}{tail}")
            if name in core and one and rng.random() < 0.1:
                way = rng.choice(["in", "out"])
                section.append(f"area {one} filter-list prefix FL{one} {way}")
                third = rng.randint(0, 3)
                router.tail += [
                    f"ip prefix-list FL{one} seq 5 deny 10.{third}.0.0/16 le 24",
                    f"ip prefix-list FL{one} seq 10 permit any",
                ]
        _externals(rng, router, name, number, section)
        if rng.random() < 0.06:
            section.append("max-metric router-lsa administrative")
        if rng.random() < 0.08:
            section.append("distance ospf external 200")
        if rng.random() < 0.05:
            section.append("auto-cost reference-bandwidth 1000000")
        if rng.random() < 0.05:
            section.append("compatible rfc1583")
    return made


def _externals(
    rng: random.Random, router: Router, name: str, number: int, section: list[str]
) -> None:
    if rng.random() < 0.4:
        for extra in range(rng.randint(1, 2)):
            target = f"172.16.{number * 4 + extra}.0/24"
            router.top.append(f"ip route {target} {rng.choice(['blackhole', 'Null0'])}")
        tail = rng.choice(["", " metric 7", " metric 30 metric-type 1", " metric-type 1"])
        if rng.random() < 0.3:
            tail += " route-map EXT"
            router.tail += [
                f"access-list EXT seq 5 permit 172.16.{number * 4}.0/24",
                "route-map EXT permit 10",
                " match ip address EXT",
                rng.choice([" set metric 77", " set metric-type type-1", " set tag 5"]),
                "exit",
            ]
        section.append(f"redistribute static{tail}")
        if rng.random() < 0.15:
            section.append("summary-address 172.16.0.0/16")
    if rng.random() < 0.25:
        section.append("redistribute connected" + rng.choice(["", " metric-type 1", " metric 3"]))
    if rng.random() < 0.2:
        always = rng.choice([" always", ""])
        if not always:
            router.top.append("ip route 0.0.0.0/0 Null0")
        section.append(
            f"default-information originate{always}"
            + rng.choice(["", " metric 9", " metric-type 1", " metric 4 metric-type 1"])
        )
    if rng.random() < 0.1:
        section.append(f"default-metric {rng.choice([15, 25])}")


def mixed(seed: int) -> Made:
    """RIP, EIGRP and OSPF side by side, with borders that redistribute, and statics."""
    rng = random.Random(seed)
    made = Made()
    count = 0
    kinds = {
        "rip": "router rip",
        "eigrp": "router eigrp 65",
        "ospf": "router ospf",
    }

    def connect(a: str, b: str, *protocols: str, tag: int) -> None:
        nonlocal count
        count += 1
        ends = []
        for index, name in enumerate((a, b), 1):
            lines = [f"ip address 10.{tag}.{count}.{index}/30"]
            if "ospf" in protocols:
                lines += ["ip ospf hello-interval 1", "ip ospf dead-interval 4"]
                if rng.random() < 0.5:
                    lines.append("ip ospf network point-to-point")
            if "rip" in protocols and rng.random() < 0.12:
                lines.append(
                    rng.choice(
                        [
                            "ip rip receive version 1",
                            "ip rip send version 1",
                            "no ip rip split-horizon",
                            "ip rip authentication mode text",
                        ]
                    )
                )
            port = made.router(name).port(*lines)
            ends.append((name, port))
            for protocol in protocols:
                if rng.random() < 0.03:
                    continue
                section = made.router(name).sections.setdefault(kinds[protocol], [])
                area = " area 0" if protocol == "ospf" else ""
                section.append(f"network 10.{tag}.{count}.0/30{area}")
                if protocol == "rip" and rng.random() < 0.08:
                    section.append(f"passive-interface {port}")
                if protocol == "rip" and rng.random() < 0.15:
                    made.router(name).tail.append("access-list ANY seq 5 permit any")
                    way = rng.choice(["in", "out"])
                    section.append(f"offset-list ANY {way} {rng.randint(1, 4)} {port}")
                if protocol in ("rip", "eigrp") and rng.random() < 0.1:
                    made.router(name).tail += [
                        f"ip prefix-list CUT seq 5 deny 10.{rng.randint(1, 3)}.101.0/24",
                        "ip prefix-list CUT seq 10 permit any",
                    ]
                    way = rng.choice(["in", "out"])
                    section.append(f"distribute-list prefix CUT {way} {port}")
        (a, ap), (b, bp) = ends
        made.links.append((a, ap, b, bp))

    pools = {"rip": ["k0", "k1", "k2"], "eigrp": ["e0", "e1", "e2"], "ospf": ["o0", "o1", "o2"]}
    chosen = rng.sample(["rip", "eigrp", "ospf"], 2)
    if rng.random() < 0.3:
        chosen = ["rip", "eigrp", "ospf"]
    tags = {"rip": 1, "eigrp": 2, "ospf": 3}
    for protocol in chosen:
        names = pools[protocol]
        for a, b in itertools.pairwise(names):
            connect(a, b, protocol, tag=tags[protocol])
        if rng.random() < 0.5:
            connect(names[0], names[2], protocol, tag=tags[protocol])
        for number, name in enumerate(names):
            octet = 101 + number
            tag = tags[protocol]
            made.dummy(name, f"ip address 10.{tag}.{octet}.1/24")
            section = made.router(name).sections.setdefault(kinds[protocol], [])
            if rng.random() < 0.85:
                area = " area 0" if protocol == "ospf" else ""
                section.append(f"network 10.{tag}.{octet}.0/24{area}")
    borders = ["b0", "b1"][: rng.randint(1, 2)]
    for number, border in enumerate(borders):
        for protocol in chosen:
            other = rng.choice(pools[protocol])
            connect(border, other, protocol, tag=tags[protocol])
        router = made.router(border)
        router.port(f"ip address 10.9.255.{number + 1}/32", name="lo")
        made.dummy(border, f"ip address 10.9.{number + 1}.1/24")
        if rng.random() < 0.6:
            router.top.append(f"ip route 172.16.{number}.0/24 blackhole")
        if rng.random() < 0.3:
            router.top.append("ip route 0.0.0.0/0 Null0")
        for protocol in chosen:
            section = router.sections.setdefault(kinds[protocol], [])
            sources = [p for p in chosen if p != protocol] + ["connected", "static"]
            for source in sources:
                if len(borders) == 2 and source in chosen and number:
                    continue
                if rng.random() < 0.7:
                    tail = rng.choice(["", " metric 3"]) if protocol != "eigrp" else ""
                    if rng.random() < 0.2 and protocol != "eigrp":
                        tail += " route-map SOME"
                        router.tail += [
                            "ip prefix-list SOME seq 5 permit 10.0.0.0/8 le 24",
                            "route-map SOME permit 10",
                            " match ip address prefix-list SOME",
                            " set metric 6",
                            "exit",
                        ]
                    section.append(f"redistribute {source}{tail}")
            if protocol != "eigrp" and rng.random() < 0.3:
                section.append("default-information originate")
    for name, router in made.routers.items():
        if "router rip" in router.sections:
            section = router.sections["router rip"]
            section += ["timers basic 5 20 15", "allow-ecmp"]
            if rng.random() < 0.7:
                section.append("version 2")
            if rng.random() < 0.1:
                section.append("distance 100")
        if "router ospf" in router.sections:
            router.sections["router ospf"].insert(
                0, f"ospf router-id 10.255.0.{1 + sorted(made.routers).index(name)}"
            )
    return made


def bgp(seed: int) -> Made:
    """Several systems, one with an IGP and reflectors, with policies on the way."""
    rng = random.Random(seed)
    made = Made()
    count = 0
    inner = ["i0", "i1", "i2", "i3"][: rng.randint(3, 4)]
    outer = [f"x{n}" for n in range(rng.randint(2, 4))]
    number = dict.fromkeys(inner, 65001) | {name: 65010 + index for index, name in enumerate(outer)}
    reflected = rng.random() < 0.4
    sessions: dict[str, list[str]] = {}

    def connect(a: str, b: str, inside: bool) -> tuple[str, str]:
        nonlocal count
        count += 1
        addresses = []
        ends = []
        for index, name in enumerate((a, b), 1):
            address = f"10.{0 if inside else 8}.{count}.{index}"
            lines = [f"ip address {address}/30"]
            if inside:
                lines += [
                    "ip ospf hello-interval 1",
                    "ip ospf dead-interval 4",
                    "ip ospf network point-to-point",
                    f"ip ospf cost {rng.choice([5, 10, 10, 20])}",
                ]
                made.router(name).sections.setdefault("router ospf", []).append(
                    f"network 10.0.{count}.0/30 area 0"
                )
            ends.append((name, made.router(name).port(*lines)))
            addresses.append(address)
        made.links.append((ends[0][0], ends[0][1], ends[1][0], ends[1][1]))
        return addresses[0], addresses[1]

    def section(name: str) -> list[str]:
        return made.router(name).sections.setdefault(f"router bgp {number[name]}", [])

    def family(name: str) -> list[str]:
        return sessions.setdefault(name, [])

    for a, b in itertools.pairwise(inner):
        connect(a, b, True)
    connect(inner[0], inner[-1], True)
    for index, name in enumerate(inner):
        address = f"10.0.255.{index + 1}"
        made.router(name).port(f"ip address {address}/32", name="lo")
        made.router(name).sections["router ospf"] += [
            f"ospf router-id {address}",
            f"network {address}/32 area 0",
        ]
    for index, name in enumerate([*inner, *outer]):
        section(name).append(f"bgp router-id 10.0.255.{index + 1}")
        if rng.random() < 0.85:
            section(name).append("no bgp ebgp-requires-policy")
        for extra in range(rng.randint(1, 2)):
            octet = 100 + 4 * index + extra
            made.dummy(name, f"ip address 10.{50 + index}.{octet}.1/24")
            if rng.random() < 0.8:
                family(name).append(f"network 10.{50 + index}.{octet}.0/24")
        if rng.random() < 0.25:
            made.router(name).top.append(f"ip route 172.16.{index}.0/24 blackhole")
            family(name).append("redistribute static")
        if rng.random() < 0.2:
            family(name).append("redistribute connected")
        if rng.random() < 0.3:
            tail = rng.choice([" summary-only", "", " as-set"])
            family(name).append(f"aggregate-address 10.{50 + index}.0.0/16{tail}")
    for i, a in enumerate(inner):
        for j in range(len(inner)):
            if i == j or (reflected and i and j):
                continue
            section(a).append(f"neighbor 10.0.255.{j + 1} remote-as 65001")
            section(a).append(f"neighbor 10.0.255.{j + 1} update-source lo")
            section(a).append(f"neighbor 10.0.255.{j + 1} timers connect 2")
            if rng.random() < 0.8:
                family(a).append(f"neighbor 10.0.255.{j + 1} next-hop-self")
            if reflected and i == 0:
                family(a).append(f"neighbor 10.0.255.{j + 1} route-reflector-client")
    pairs = [(x, rng.choice(inner)) for x in outer]
    pairs += [(x, y) for x, y in itertools.pairwise(outer) if rng.random() < 0.6]
    pairs += [(x, rng.choice(inner)) for x in outer if rng.random() < 0.3]
    for a, b in pairs:
        left, right = connect(a, b, False)
        for own, other, peer in ((a, b, right), (b, a, left)):
            section(own).append(f"neighbor {peer} remote-as {number[other]}")
            section(own).append(f"neighbor {peer} timers connect 2")
            _session_policy(rng, made.router(own), family(own), peer, number[own])
    for name, lines in sessions.items():
        section(name).append("address-family ipv4 unicast")
        section(name).extend(f" {line}" for line in lines)
        section(name).append("exit-address-family")
    return made


def _session_policy(
    rng: random.Random, router: Router, lines: list[str], peer: str, own: int
) -> None:
    name = f"M{peer.replace('.', '')}"
    choice = rng.random()
    if choice < 0.3:
        sets = rng.choice(
            [
                " set local-preference 200",
                " set metric 50",
                f" set as-path prepend {own} {own}",
                " set weight 10",
                " set community 65001:77",
                " set origin egp",
            ]
        )
        way = "out" if "prepend" in sets or "metric" in sets else "in"
        router.tail += [
            f"ip prefix-list {name} seq 5 permit 10.{rng.randint(50, 57)}.0.0/16 le 24",
            f"route-map {name} permit 10",
            f" match ip address prefix-list {name}",
            sets,
            "exit",
        ]
        if rng.random() < 0.8:
            router.tail += [f"route-map {name} permit 20", "exit"]
        lines.append(f"neighbor {peer} route-map {name} {way}")
    elif choice < 0.4:
        router.tail += [
            f"ip prefix-list {name} seq 5 deny 10.{rng.randint(50, 57)}.0.0/16 le 24",
            f"ip prefix-list {name} seq 10 permit any",
        ]
        lines.append(f"neighbor {peer} prefix-list {name} {rng.choice(['in', 'out'])}")
    elif choice < 0.5:
        router.tail += [
            f"bgp as-path access-list {name} seq 5 deny _{rng.randint(65010, 65013)}_",
            f"bgp as-path access-list {name} seq 10 permit .*",
        ]
        lines.append(f"neighbor {peer} filter-list {name} {rng.choice(['in', 'out'])}")
    elif choice < 0.56:
        lines.append(f"neighbor {peer} default-originate")
    elif choice < 0.62:
        lines.append(f"neighbor {peer} maximum-prefix {rng.randint(1, 12)}")
    elif choice < 0.66:
        lines.append(f"neighbor {peer} allowas-in")
    elif choice < 0.7:
        lines.append(f"neighbor {peer} remove-private-AS")


def ospf3(seed: int) -> Made:
    """OSPFv3 and RIPng over link-local neighbours, with areas, externals and mistakes."""
    rng = random.Random(seed)
    made = Made()
    core = ["r0", "r1", "r2"]
    members = {area: [f"a{area}0"] for area in rng.choice([[1], [1, 2]])}
    kinds = {area: rng.choice(["normal", "normal", "stub", "stub no-summary"]) for area in members}
    count = 0
    areas: dict[str, set[int]] = {}

    def connect(a: str, b: str, area: int) -> None:
        nonlocal count
        count += 1
        kind = rng.choice([None, "point-to-point"])
        ends = []
        for index, name in enumerate((a, b), 1):
            areas.setdefault(name, set()).add(area)
            lines = [
                f"ipv6 address fd00:{area}:{count}::{index}/64",
                "ipv6 ospf6 hello-interval 1",
                "ipv6 ospf6 dead-interval 4",
                f"ipv6 ospf6 area 0.0.0.{area}",
            ]
            if kind:
                lines.append(f"ipv6 ospf6 network {kind}")
            if rng.random() < 0.4:
                lines.append(f"ipv6 ospf6 cost {rng.choice([5, 10, 30])}")
            if rng.random() < 0.05:
                lines.append(rng.choice(["ipv6 ospf6 passive", "ipv6 ospf6 instance-id 3"]))
            ends.append((name, made.router(name).port(*lines)))
        made.links.append((ends[0][0], ends[0][1], ends[1][0], ends[1][1]))

    connect("r0", "r1", 0)
    connect("r1", "r2", 0)
    if rng.random() < 0.5:
        connect("r0", "r2", 0)
    for area, names in members.items():
        for name in names:
            for border in rng.sample(core, rng.randint(1, 2)):
                connect(border, name, area)
    for number, name in enumerate(sorted(made.routers)):
        router = made.router(name)
        area = min(areas[name])
        section = router.sections.setdefault("router ospf6", [])
        section.append(f"ospf6 router-id 10.255.0.{number + 1}")
        router.port(
            f"ipv6 address fd00:{area}:255::{number + 1}/128",
            f"ipv6 ospf6 area 0.0.0.{area}",
            name="lo",
        )
        if rng.random() < 0.7:
            lines = [f"ipv6 address fd00:{area}:{100 + number}::1/64"]
            if rng.random() < 0.7:
                lines.append(f"ipv6 ospf6 area 0.0.0.{area}")
            made.dummy(name, *lines)
        for one in areas[name]:
            kind = kinds.get(one, "normal")
            if kind != "normal":
                section.append(f"area 0.0.0.{one} {kind}")
            if name in core and one and rng.random() < 0.3:
                section.append(f"area 0.0.0.{one} range fd00:{one}::/32")
        if rng.random() < 0.4:
            router.top.append(f"ipv6 route fd00:99:{number}::/64 blackhole")
            section.append("redistribute static")
        if rng.random() < 0.3:
            section.append("redistribute connected")
        if rng.random() < 0.2:
            section.append("default-information originate always")
    return made


def isis(seed: int) -> Made:
    """IS-IS in both levels: segments of two and three, both families, styles of metrics, routes
    from elsewhere, routers that are not to be passed, and mistakes."""
    rng = random.Random(seed)
    made = Made()
    names = [f"i{n}" for n in range(rng.choice([4, 5, 6]))]
    six = rng.random() < 0.6
    own_topology = six and rng.random() < 0.4
    style = rng.choice([None, None, None, "narrow", "transition", "wide"])
    kinds = {
        n: rng.choice(["level-1", "level-1-2", "level-1-2", "level-1-2", "level-2-only"])
        for n in names
    }
    areas = {n: rng.choice([1, 1, 2]) for n in names}
    count = 0
    joined: set[frozenset[str]] = set()

    def connect(members: list[str]) -> None:
        nonlocal count
        count += 1
        joined.update(frozenset(pair) for pair in itertools.combinations(members, 2))
        lan = f"lan{count}" if len(members) > 2 else None
        if lan:
            made.lans.append(lan)
        point = lan is None and rng.random() < 0.4
        circuit = rng.choice(["level-1", "level-2-only", None, None, None, None])
        ends = []
        for index, name in enumerate(members, 1):
            lines = [f"ip address 10.83.{count}.{index}/24", "isis hello-interval 1"]
            if rng.random() < 0.97:
                lines.append("ip router isis x")
            if six:
                lines.append(f"ipv6 address fd83:{count}::{index}/64")
                if rng.random() < 0.95:
                    lines.append("ipv6 router isis x")
            if circuit and rng.random() < 0.97:
                lines.append(f"isis circuit-type {circuit}")
            if point:
                lines.append("isis network point-to-point")
            if rng.random() < 0.6:
                level = rng.choice(["", "", " level-1", " level-2"])
                lines.append(f"isis metric{level} {rng.randint(1, 60)}")
            if lan:
                lines.append("isis csnp-interval 2")
                if rng.random() < 0.3:
                    lines.append(f"isis priority {rng.choice([1, 90])}")
            if own_topology and rng.random() < 0.04:
                lines.append("no isis topology ipv6-unicast")
            if rng.random() < 0.03:
                lines.append("isis passive")
            ends.append((name, made.router(name).port(*lines)))
        if lan:
            for index, (name, port) in enumerate(ends):
                made.links.append((name, port, lan, f"p{index}"))
        else:
            (a, ap), (b, bp) = ends
            made.links.append((a, ap, b, bp))

    for n in range(1, len(names)):
        connect([rng.choice(names[:n]), names[n]])
    for _ in range(rng.randint(1, 2)):
        # Of two links between the same two routers the daemon may take the one for the other.
        members = rng.sample(names, rng.choice([2, 3, 3]))
        pairs = {frozenset(pair) for pair in itertools.combinations(members, 2)}
        if not pairs & joined:
            connect(members)
    for number, name in enumerate(names, 1):
        router = made.router(name)
        lines = [f"ip address 10.83.255.{number}/32", "ip router isis x", "isis passive"]
        if six:
            lines += [f"ipv6 address fd83:ff::{number}/128", "ipv6 router isis x"]
        router.port(*lines, name="lo")
        section = router.sections.setdefault("router isis x", [])
        section += [f"net 49.{areas[name]:04}.0000.0000.{number:04}.00", f"is-type {kinds[name]}"]
        if style and rng.random() < 0.92:
            section.append(f"metric-style {style}")
        if own_topology and rng.random() < 0.95:
            section.append("topology ipv6-unicast")
        if rng.random() < 0.08:
            section.append("set-overload-bit")
        if rng.random() < 0.06:
            section.append("attached-bit receive ignore")
        if rng.random() < 0.06:
            section.append("no attached-bit send")
        if rng.random() < 0.03:
            section.append(f"{rng.choice(['area', 'domain'])}-password clear other")
        _into_isis(rng, made, name, number, six)
    return made


def _into_isis(rng: random.Random, made: Made, name: str, number: int, six: bool) -> None:
    """Subnets without routers, and what a router takes over from elsewhere."""
    router = made.router(name)
    section = router.sections["router isis x"]
    for extra in range(rng.randint(0, 2)):
        lines = [f"ip address 10.84.{10 * number + extra}.1/24"]
        if six:
            lines.append(f"ipv6 address fd84:{10 * number + extra}::1/64")
        if rng.random() < 0.4:
            lines += ["ip router isis x", "isis passive"]
            lines += ["ipv6 router isis x"] if six else []
        made.dummy(name, *lines)

    def tail() -> str:
        return rng.choice(["", "", f" metric {rng.choice([0, 5, 40, 200])}", " route-map R"])

    if rng.random() < 0.4:
        router.tail.append(f"ip route 10.85.{number}.0/24 blackhole")
        if six:
            router.tail.append(f"ipv6 route fd85:{number}::/64 blackhole")
        if rng.random() < 0.5:
            # The same from several routers.
            router.tail.append("ip route 10.86.0.0/16 blackhole")
        for family in ("ipv4", "ipv6") if six else ("ipv4",):
            for level in rng.choice([("level-1",), ("level-2",), ("level-1", "level-2")]):
                section.append(f"redistribute {family} static {level}{tail()}")
    if rng.random() < 0.3:
        for level in rng.choice([("level-1",), ("level-2",)]):
            section.append(f"redistribute ipv4 connected {level}{tail()}")
    if rng.random() < 0.2:
        always = rng.choice(["", " always"])
        if not always and rng.random() < 0.7:
            router.tail.append("ip route 0.0.0.0/0 blackhole")
        level = rng.choice(["level-1", "level-2"])
        metric = rng.choice(["", " metric 7"])
        section.append(f"default-information originate ipv4 {level}{always}{metric}")
    # A daemon that meets the map below the line that names it never finds it.
    router.top += [
        "ip prefix-list P seq 5 deny 10.86.0.0/16",
        f"ip prefix-list P seq 6 deny 10.84.{10 * number}.0/24",
        "ip prefix-list P seq 10 permit any",
        "route-map R permit 10",
        " match ip address prefix-list P",
        f" set metric {rng.choice([3, 50])}",
        "exit",
    ]
